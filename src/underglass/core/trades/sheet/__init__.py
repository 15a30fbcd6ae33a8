"""Cutting of sheet by torch, beam or jet."""
