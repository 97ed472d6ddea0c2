"""The weighted least-squares adjustment: blocks of equations that share unknowns, one block's solution, the whole."""
