-- A loop over as many parts as the job has. What is inside states everything it needs, so that each part begins like the first.
local batch = {}

function batch.open()
  if option.parts > 1 then
    emit("loop-begin", "loop-count", option.parts)
  end
end

function batch.close()
  if option.parts > 1 then
    comment "CHANGE THE PART"
    stop()
    emit "loop-end"
  end
end

return batch
