"""Pages: a recording to be played and searched in a browser, in one file."""
