-- Never longer than half a second.
function on.dwell(event)
  event.amount = math.min(event.amount, 0.5)
  event:native()
end
