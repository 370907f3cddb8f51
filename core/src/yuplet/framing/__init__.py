"""Where parts come to lie in a frame that is not the canvas: screens of other sizes, and a camera that travels."""
