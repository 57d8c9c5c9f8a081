-- A stop after each hole.
function on.cycle_point(event)
  event:native()
  stop()
end
