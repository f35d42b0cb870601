"""Numbers of pictures: colour tags, geometry, framing, weights of layers."""
