"""What is kept of this machine as a station: its paces, its ledger, its devices, its house."""
