"""The before and after as a page, a PDF and a job file, made from sealed phases alone."""
