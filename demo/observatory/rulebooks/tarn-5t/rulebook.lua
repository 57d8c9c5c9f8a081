-- What the workshop wants of Tarn 5T beyond the plain code.
local cut = 0 -- mm since the edge was last looked at
local x, y, z

function on.program_start(event)
  section "program-head"
  comment "TOOLS"
  for _, tool in ipairs(tools()) do
    comment(string.format("T%d %s, LENGTH %.3f, CALLED %d TIMES", tool.number, tool.name, tool.length, tool.calls))
  end
  for _, operation in ipairs(operations()) do
    if operation.low then
      comment(string.format("%s %s, LOWEST %.2f, HIGHEST %.2f", operation.id, operation.name, operation.low.z, operation.high.z))
    end
  end
  if option.parts > 1 then
    emit("loop-begin", "loop-count", option.parts)
  end
  section "safe-start"
end

function on.program_end(event)
  section "wind-down"
  if option.parts > 1 then
    comment "CHANGE THE MIRROR"
    stop()
    emit "loop-end"
  end
  if not option.called then
    section "program-end"
  end
end

function on.tool_change(event)
  cut = 0
  x = nil
  if event.length and event.length > option.long_tool then
    retract()
    comment(string.format("TOOL %d IS %.1f LONG, LOWER THE GUARD FIRST", event.number, event.length))
    stop()
  end
  event:native()
end

-- Adds up how far the edge has cut; field by field, because there are thousands of these.
on.linear = positional(function(to_x, to_y, to_z)
  if x then
    cut = cut + math.sqrt((to_x - x) ^ 2 + (to_y - y) ^ 2 + (to_z - z) ^ 2)
  end
  x, y, z = to_x, to_y, to_z
  native()
end)

-- Between two cuts the tool is free: a good moment to look at the edge.
on.rapid = positional(function(to_x, to_y, to_z)
  if cut > option.look_after then
    retract()
    comment(string.format("%.1f M CUT, LOOK AT THE EDGE", cut / 1000))
    optional_stop()
    cut = 0
  end
  x, y, z = to_x, to_y, to_z
  native()
end)
