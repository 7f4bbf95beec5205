"""The demo scenario of Quillmoss, a made-up small firm that makes and sells things for growing
plants indoors.
"""
