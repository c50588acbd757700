"""The weather of each site, from a station or a file."""
