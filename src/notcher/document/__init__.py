"""An open project. In: a project and where it is kept. Out: the project after each edit, undo and redo, a journal on
disk that survives the program, and a saved file that nobody else's changes were lost to. No Qt.
"""
