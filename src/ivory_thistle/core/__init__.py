"""Pure computation: bytes and values in, frozen dataclasses out. No paths, network, clock or database."""
