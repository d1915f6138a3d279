"""Orders that come in by themselves: watched folders and a shop's own system. They go through Lines, Run and Print as a
person would send them, by a recipe."""
