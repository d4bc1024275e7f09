"""Corvane Ridge Observatory: a made-up site, generated with a fixed seed. Nothing in it is real."""
