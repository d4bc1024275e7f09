"""Ways in: folders and archives, read with care."""
