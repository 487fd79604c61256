"""Server-made SVG: sized by its viewBox, coloured by the style sheet, told apart by weave before colour."""
