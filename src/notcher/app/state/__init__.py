"""What the person works at, without anything that is seen: session, transport, time axis, take, lesson."""
