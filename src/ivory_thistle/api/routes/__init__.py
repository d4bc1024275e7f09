"""Routes, one file a noun."""
