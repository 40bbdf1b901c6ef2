"""From files to projects and back: the rooms below joined to what the command line, the window and api ask for."""
