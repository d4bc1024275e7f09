"""Proof: renditions judged against their originals, and which of them a person should look at first."""
