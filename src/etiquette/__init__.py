"""Etiquette: print-and-cut finishing, from art to a cut that follows the sheet."""
