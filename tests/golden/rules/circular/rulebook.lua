function on.circular(event)
  comment(string.format("RADIUS %g ABOUT %g, %g", event.radius, event.cx, event.cy))
  event:native()
end
