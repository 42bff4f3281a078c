"""What a bundle is made of: files, databases, mail and settings of the system."""
