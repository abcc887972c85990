"""Work that is done by other processes and machines, through a Dask scheduler."""
