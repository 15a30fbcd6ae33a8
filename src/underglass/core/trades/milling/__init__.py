"""Milling: cutters that come down on a stock which lies on a table, cut as a field of heights."""
