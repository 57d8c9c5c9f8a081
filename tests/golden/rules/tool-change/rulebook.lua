function on.tool_change(event)
  comment(event.name)
  event:native()
  if event.next then
    emit("tool", event.next)
  end
end
