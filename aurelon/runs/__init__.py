"""Background work: jobs with progress, time left, cancel and a result."""
