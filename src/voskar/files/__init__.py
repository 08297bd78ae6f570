"""One reader or writer a format. All validation of outside data is here."""
