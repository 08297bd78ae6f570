"""A recording judged while its game is running."""
