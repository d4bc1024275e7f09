"""References: every picture that HTML and CSS name, with its exact position in the source."""
