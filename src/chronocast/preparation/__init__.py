"""Everything between the document and the first job: media found, cuts laid out, outputs planned, problems, the outlook."""
