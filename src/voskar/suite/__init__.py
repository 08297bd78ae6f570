"""Many recordings checked in one go: in parallel, each on its own, results in the order of the suite."""
