"""Proposes a catalogue from what channels list: which listings are the same goods, and what of each
listing the product is to have.
"""
