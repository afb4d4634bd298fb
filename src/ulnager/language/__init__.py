"""The phrase language: text to period and back."""
