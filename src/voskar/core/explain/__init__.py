"""Why a pair of actors, an emitter or an actor came to what it did: in the verdicts of the gates that judged it."""
