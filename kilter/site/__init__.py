"""What holds the rooms together: settings, addresses, the page around them, serving."""
