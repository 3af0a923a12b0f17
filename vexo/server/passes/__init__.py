"""Passes: a frozen plan → batches → settled → read back → outcome."""
