"""What is to be done: the change sheet, A/B tests, materials."""
