-- Waits for something that never comes. The run ends all the same, and says where this went wrong.
local cleared = false

function on.cycle_point(event)
  while not cleared do
    local depth = event.depth
  end
  event:native()
end
