"""The plane engine: a sheet as an exact region, kerfs swept and shapes struck."""
