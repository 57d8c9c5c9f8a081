function on.cycle(event)
  comment(event.kind .. " " .. event.depth .. " AT " .. event.feed)
  event:native()
end
