"""The forecast of pictures: how hard a film is, the bytes it takes, how like the original it will look."""
