function on.optional_stop(event)
  comment "look"
  event:native()
end
