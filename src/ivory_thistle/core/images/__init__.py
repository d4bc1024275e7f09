"""Images: facts from bytes, decoding, resizing."""
