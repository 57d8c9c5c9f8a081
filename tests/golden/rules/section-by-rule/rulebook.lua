function on.program_start(event)
  section_off "tool-change"
  section_lines("operation", {"(NOW {operation_id})", "{retract}"})
  event:native()
end
function on.program_end(event)
  section_back "tool-change"
  section "tool-change"
  section_lines("stop", {"M1"})
  stop()
  section_off "stop"
  stop()
end
