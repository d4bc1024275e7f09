"""Findings: what is wrong with a site's images, each with code, evidence, bytes at stake and what would mend it."""
