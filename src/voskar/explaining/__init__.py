"""Which value of the rulebook the game seems to have otherwise, by trying."""
