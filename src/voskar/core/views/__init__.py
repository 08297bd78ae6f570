"""Views of a ledger: its result, actor by actor and frame by frame. They read, and judge nothing."""
