-- What an old habit inserts has its new name here.
function on.inserted_text(event)
  if event.text == "M77" then
    event.text = "M8"
  end
  event:native()
end
