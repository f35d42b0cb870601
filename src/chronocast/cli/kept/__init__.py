"""What is kept on this machine, from the command line: pieces, proxies, recipes, cards."""
