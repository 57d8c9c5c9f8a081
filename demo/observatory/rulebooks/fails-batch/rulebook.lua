-- A loop that begins after the safe start, and says that its beginning changes nothing: the second part would start as the first one
-- ended. The replay finds it.
function on.program_start(event)
  event:native()
  text("M72 L" .. option.parts, {})
end

function on.program_end(event)
  section "wind-down"
  text("M73", {})
  section "program-end"
end
