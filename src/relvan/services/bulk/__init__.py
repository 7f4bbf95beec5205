"""Work on many things at once. This package is above all stations: it carries out bulk jobs and
reads and writes files of every kind."""
