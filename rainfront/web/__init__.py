"""What every page shares: base templates, drawings, static files, error pages."""
