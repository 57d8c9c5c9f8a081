function on.cycle_end(event)
  event:native()
  coolant_off()
  comment "holes done"
end
