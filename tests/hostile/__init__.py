"""Files and documents that are broken, or meant to break what reads them."""
