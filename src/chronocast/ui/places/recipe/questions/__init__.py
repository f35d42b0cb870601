"""The questions that *Recipe* asks, one file each: what it is for, what picture, how many bits, what is heard."""
