"""What FFmpeg's libraries do: inspect, decode, compose, encode, join, measure. The only room that imports av."""
