"""The sheet: drawing, run sheet, next move. Every post redraws all of it in one answer."""
