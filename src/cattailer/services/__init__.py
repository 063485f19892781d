"""One function for each thing that a person does; the only place where store, engine and core meet."""
