"""What was learned from material and is asked while listening: forests, and the runtime of networks. data/ holds the
numbers."""
