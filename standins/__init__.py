"""Small stand-ins for what lies outside: they ship with Mistline, so that it can be tried without the world."""
