"""What the pages of the proof and the seal test show."""
