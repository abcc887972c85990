"""Looking at results: small pictures, look-through colours, coverage."""
