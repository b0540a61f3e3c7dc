"""DNS messages to and from bytes. No sockets: bytes in, messages out, and back."""
