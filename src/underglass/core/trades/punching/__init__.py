"""Turret punching."""
