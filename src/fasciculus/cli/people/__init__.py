"""Commands on people: signing in, tokens, keys."""
