"""The benchmark: ratios measured in one run (`make bench`), never assertions."""
