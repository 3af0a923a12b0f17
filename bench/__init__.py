"""Measurements, never run as tests."""
