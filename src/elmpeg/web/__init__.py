"""The screens and the JSON interface. They draw evaluations and compute nothing themselves."""
