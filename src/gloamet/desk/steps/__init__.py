"""The steps of the desk, in the artist's order; a step that does nothing yet is not listed."""
