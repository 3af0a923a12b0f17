"""The people who use Vexo and what each may do."""
