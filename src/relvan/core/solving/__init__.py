"""The computations as `relvan solve` offers them: plain data in, plain data out."""
