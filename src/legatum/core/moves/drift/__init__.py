"""What became of a plan while it is carried out: where it stands, what others have changed, how it is drawn anew."""
