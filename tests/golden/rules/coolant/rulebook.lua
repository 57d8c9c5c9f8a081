-- Mist instead of a flood.
function on.coolant(event)
  if event.state == "flood" then
    event.state = "mist"
  end
  event:native()
end
