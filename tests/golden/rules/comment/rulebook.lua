function on.comment(event)
  event.text = "note: " .. event.text
  event:native()
end
