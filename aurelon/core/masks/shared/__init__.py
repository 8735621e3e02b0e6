"""What every part of a mask has, and the mask that is made of them."""
