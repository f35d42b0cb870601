"""The tests.  ``./run test`` runs them all; ``./run test core.test_machine`` one module."""
