"""Selection: which candidate a browser loads, as the HTML standard says."""
