function on.work_offset(event)
  comment("REGISTER " .. event.register)
  event:native()
end
