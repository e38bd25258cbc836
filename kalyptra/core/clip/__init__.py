"""Clips: probing untrusted media, decoding, transfer curves, proxies, timecode, encoding."""
