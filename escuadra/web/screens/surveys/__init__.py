"""Floor surveys in the making: begun on a grid or from a file, read point by point or as a table, closed."""
