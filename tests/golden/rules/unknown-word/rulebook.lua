function on.unknown_word(event)
  if event.word == "BLOW" then
    text("M9", {"coolant"})
  end
end
