export const printKeys = {
  all: ["prints"] as const,
  list: ["prints", "list"] as const,
  sending: (machine_id: number) => ["sending", machine_id] as const,
  file: (recipe_id: number, version: number, inputs: string) => ["file", recipe_id, version, inputs] as const,
};
