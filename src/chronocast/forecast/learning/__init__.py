"""What finished work has taught, and how wide bands have to be."""
