"""The applications Vexo is connected to."""
