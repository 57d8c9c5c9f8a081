function on.program_end(event)
  emit("spindle-off")
  retract()
  event:native()
  text "M30"
end
