"""What files can be: codecs, containers, profiles and levels, layouts, rate controls; a row each."""
