"""What is kept of media: facts, timelines as they were read, proxies."""
