"""The demo: an invented solo, its rendering, its truth, and the project that ships."""
