"""The demo: two sets of a harbour register, people, and trips at different stations."""
