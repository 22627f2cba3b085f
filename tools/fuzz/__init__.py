"""Files of others, changed and made up, given to every reader: nothing may break, hang, grow or speak in riddles."""
