"""A flatbed scanner that speaks eSCL (Mopria Alliance, eSCL technical specification 2.0) over HTTP.

`glass` knows what lies on it, `carriage` what the head sees row by row, `stream` turns rows into a file while they
come, `jobs` keeps one scan at a time, `escl` reads and writes the standard's documents, `app` answers.
"""
