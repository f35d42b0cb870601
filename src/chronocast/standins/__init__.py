"""Small simulated devices and services for demos and tests, always labelled as stand-ins."""
