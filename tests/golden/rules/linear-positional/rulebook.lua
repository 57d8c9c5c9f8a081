on.linear = positional(function(x, y, z)
  if z < 0 and x > 10 then
    comment(string.format("AT %.1f", x))
  end
  native()
end)
