-- Looks at each cut by its event object.
local low = 0

function on.linear(event)
  if event.z < low then
    low = event.z
  end
  event:native()
end
