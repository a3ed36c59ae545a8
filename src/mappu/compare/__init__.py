"""Things held against each other: what a route takes and the columns it fills, and endpoints that take the same thing."""
