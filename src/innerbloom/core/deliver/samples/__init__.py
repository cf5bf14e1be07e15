"""An instrument as samples: which notes, each played and looped, and the map that other tools read."""
