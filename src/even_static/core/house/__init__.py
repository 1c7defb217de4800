"""What a call is made of: the house, its kit, its devices, what was heard, and what was changed."""
