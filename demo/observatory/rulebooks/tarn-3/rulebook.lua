-- What the workshop wants of Tarn 3 beyond the plain code.
local header = require "header"
local batch = require "batch"

local drilled = 0 -- mm since the chips were last cleared

function on.program_start(event)
  section "program-head"
  header.tool_list()
  batch.open()
  section "safe-start"
end

function on.program_end(event)
  section "wind-down"
  batch.close()
  if option.called then
    section_off "program-end" -- the program that calls this one ends it
  end
  section "program-end"
end

-- Somebody looks at a long tool before it comes.
function on.tool_change(event)
  drilled = 0
  if event.length and event.length > option.long_tool then
    retract()
    comment(string.format("TOOL %d IS %.1f LONG, CHECK THE WAY TO THE PART", event.number, event.length))
    stop()
  end
  event:native()
end

-- The chips are blown out after so much depth, not after so many holes.
function on.cycle_point(event)
  if drilled > 0 and drilled + event.depth > option.clear_after then
    retract()
    comment "CLEAR CHIPS"
    dwell(option.clear_for)
    drilled = 0
  end
  drilled = drilled + event.depth
  event:native()
end
