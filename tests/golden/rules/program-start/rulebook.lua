function on.program_start(event)
  comment "first"
  event:native()
  comment "last"
end
