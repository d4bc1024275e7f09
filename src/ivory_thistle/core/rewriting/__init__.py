"""Rewriting: edits by position to HTML and CSS; every other byte stays."""
