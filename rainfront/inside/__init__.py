"""Inside: probe sheets, the voltage ladder, bench supply, battery lines, lifted chips, photos."""
