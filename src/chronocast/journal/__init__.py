"""What must last: documents, runs, the ledger, settings. The only room that imports SQLAlchemy."""
