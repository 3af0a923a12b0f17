"""Tests of Vexo and of the register it ships with."""
