"""How much each of red, green and blue counts in what is seen as light. Source: ITU-R BT.709-6, item 3.2."""

BT709_LUMA = (0.2126, 0.7152, 0.0722)
