"""The recipes that ship with the application."""
