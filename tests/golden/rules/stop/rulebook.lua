function on.stop(event)
  retract()
  event:native()
end
