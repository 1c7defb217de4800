"""What happens under a setting: the prepared house, radio state, links, meshes, figures and their rank."""
