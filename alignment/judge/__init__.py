"""What the estimate means: results by name, verdicts under uncertainty, likely causes, wear, clamps, specifications."""
