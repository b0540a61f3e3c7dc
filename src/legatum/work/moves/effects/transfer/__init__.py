"""A registrar transfer: asked for, followed, looked at afterwards."""
