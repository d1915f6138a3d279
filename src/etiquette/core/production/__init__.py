"""From designs, a layout and settings to the files of every frame: the one producer behind the command and the
station."""
