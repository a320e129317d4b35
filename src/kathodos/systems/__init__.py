"""One module per kind of system or format, and the gather that brings what they read into the catalogue."""
