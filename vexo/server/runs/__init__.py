"""Writing a plan to an application, pass by pass."""
