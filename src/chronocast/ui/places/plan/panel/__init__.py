"""The panel beside the grid: one output, its forecast, its plot, its trial."""
