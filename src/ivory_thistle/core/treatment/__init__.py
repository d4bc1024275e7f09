"""Treatment: rules, the ladder of widths, and one image made into renditions."""
