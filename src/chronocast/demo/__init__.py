"""The demo batch and its footage: an aquarium's exhibition films."""
