"""Forecast: what a treatment would bring, told before anything is encoded, and how sure that is."""
