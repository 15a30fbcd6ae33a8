"""Findings of punching."""
