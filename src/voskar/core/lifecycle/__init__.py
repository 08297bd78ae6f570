"""Health that runs out, and what follows: down, lives, coming back, what begins anew, and the end of a run."""
