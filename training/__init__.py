"""How the shipped networks were made; not needed to run Mistline."""
