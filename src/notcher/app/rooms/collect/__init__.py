"""The Collect room: phrases of many projects, found again."""
