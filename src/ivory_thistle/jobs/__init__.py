"""Jobs: captures and runs executed in the background; states live in the database, work on Dask."""
