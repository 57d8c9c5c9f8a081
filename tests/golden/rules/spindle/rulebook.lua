function on.spindle(event)
  event.speed = event.speed * 0.8
  event:native()
end
