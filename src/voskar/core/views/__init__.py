"""Views of a ledger: what it comes to, actor by actor and frame by frame. They read, and judge nothing."""
