"""Pure computation: values in, values out. Imports NumPy and the standard library only; no files, clock or printing."""
