"""What talks to machines, scales and stores of files. What moves or heats is named so, and asked for by a person each time."""
