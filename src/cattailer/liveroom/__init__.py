"""The stand-in: a made-up interface, a grain barn, microphones and seven players.

Everything it sounds is made in code; nothing is recorded.
"""
