-- Looks at each cut by its fields.
local low = 0

on.linear = positional(function(x, y, z)
  if z < low then
    low = z
  end
  native()
end)
