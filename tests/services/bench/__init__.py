"""Tests the pack bench."""
