"""What all parts of the API share: problem details, rights, documents."""
