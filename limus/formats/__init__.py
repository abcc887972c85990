"""Every file format read or written, one file each; nothing else in the core opens a file."""
