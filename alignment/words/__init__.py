"""Sentences about results."""
