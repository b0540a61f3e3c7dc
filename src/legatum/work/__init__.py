"""What the commands do: core, net, services and journal put together."""
