function on.operation(event)
  comment(event.id .. ": " .. event.name .. " IS NUMBER " .. event.index)
end
