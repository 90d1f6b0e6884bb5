"""What to change next, and everything that the limits allow; computed by the engine, never by a rule of thumb."""
