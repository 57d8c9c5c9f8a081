-- The way there is announced; the second one is dropped.
local count = 0
function on.rapid(event)
  count = count + 1
  if count == 1 then
    comment(string.format("TO X%g Y%g", event.x, event.y))
    event:native()
  end
end
