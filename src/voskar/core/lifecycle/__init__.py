"""Health that runs out, and what follows: down, lives, coming back, what starts again, and the end of a run."""
