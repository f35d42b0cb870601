"""Pictures and sound for the desktop, from processes of their own."""
