"""The Brinholm Quay demo."""
