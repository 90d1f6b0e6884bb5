export const dayKeys = {
  all: ["day"] as const,
  board: ["day", "board"] as const,
  queue: ["day", "queue"] as const,
  plates: ["day", "plates"] as const,
  plate: (id: number) => ["day", "plate", id] as const,
  spools: ["day", "spools"] as const,
  hours: ["day", "hours"] as const,
  reasons: (queue_id: number, plate: number, made: string) => ["day", "reasons", queue_id, plate, made] as const,
};
