"""Answers to what a plan asks."""
