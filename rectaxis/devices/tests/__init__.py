"""Tests of devices."""
