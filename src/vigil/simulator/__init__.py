"""The sim observatory: sky, mount, camera and focuser as physics. Nothing in a night reads its truth."""
