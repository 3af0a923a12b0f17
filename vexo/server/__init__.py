"""The Django project: what Vexo keeps, its work in the background, its API."""
