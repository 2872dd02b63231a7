"""Mend: the last touches on the finished picture, each an entry that works on a layer of colour and coverage."""
