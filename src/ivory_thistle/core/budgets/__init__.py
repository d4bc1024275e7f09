"""Budgets: what a page and a picture may weigh."""
