"""The demo scenario: Quillmoss, a small firm that makes and sells things for growing plants
indoors. All made up."""
