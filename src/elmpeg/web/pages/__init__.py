"""One module for each page, in folders by stage: a route parses, calls and renders."""
