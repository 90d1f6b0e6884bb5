"""Plates."""
