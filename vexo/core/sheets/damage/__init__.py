"""What spreadsheet programs do to cells."""
