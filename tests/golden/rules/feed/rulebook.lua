-- Not faster than 400.
function on.feed(event)
  event.value = math.min(event.value, 400)
  event:native()
end
