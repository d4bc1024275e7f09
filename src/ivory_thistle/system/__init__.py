"""The machine we run on: programs found and started safely, files written and read without leaving a folder."""
