"""What people ask for: kits, requests, decisions on them, what runs through them, and its end."""
