function on.retract(event)
  emit("spindle-off")
  event:native()
end
