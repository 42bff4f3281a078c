"""What is known of the files of the bundle before."""
