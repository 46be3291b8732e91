"""Records of signed sheets: JSON with a published schema, and PDF of the same facts."""
