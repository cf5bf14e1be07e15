"""Sounds placed against a picture: timecode, scenes, lanes of clips, and their mix."""
