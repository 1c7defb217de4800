"""What plans are worth in houses whose truth the planner does not know: ``make judge``."""
