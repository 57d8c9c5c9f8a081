-- The list of tools at the head of the program.
local header = {}

function header.tool_list()
  if not option.tool_list then
    return
  end
  comment "TOOLS"
  for _, tool in ipairs(tools()) do
    comment(string.format("T%d %s, LENGTH %s", tool.number, tool.name, tool.length and string.format("%.3f", tool.length) or "MISSING"))
  end
end

return header
