"""Parts: read and check meshes, their facts, their slices and their picture."""
