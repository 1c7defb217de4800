"""Whether it helped: before and after, promised against measured, follow-up."""
