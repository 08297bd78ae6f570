"""One module a command: parse, call, present. No rules live here."""
