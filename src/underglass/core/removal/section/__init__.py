"""The half section of what turns: exact polygons of X (a radius) and Z, never a grid."""
