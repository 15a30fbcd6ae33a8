"""Findings of cutting sheet."""
