"""The camera rig: the frame seen live on its way to its place, and the values taken when it stands."""
