"""Workflows: capture, audit, treat and hand over; they join the core with intake and store."""
