"""*House*: the stations, and how well their forecasts have held."""
