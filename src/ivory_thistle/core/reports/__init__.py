"""Reports: savings tables."""
