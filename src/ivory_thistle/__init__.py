"""Ivory Thistle: brings a site's image library under its page-weight budgets and proves it."""
