"""What talks to machines. It only asks; nothing here moves or heats anything."""
