-- The first cut is slower.
local first = true
function on.linear(event)
  if first then
    emit("linear", "feed", 100)
  end
  event:native()
  first = false
end
