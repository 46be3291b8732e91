"""The made-up garage of Valdehierro, written through the same commands as everybody's."""
