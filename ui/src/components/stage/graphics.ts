let known: boolean | null = null;

// What drivers that draw on the processor call themselves.
const ON_THE_PROCESSOR = /software|swiftshader|llvmpipe|softpipe|basic render/i;

/** Whether pictures are drawn by a graphics card; without one the browser draws each triangle on the processor. */
export function hasGraphicsCard(): boolean {
  if (known !== null) return known;
  const context = document.createElement("canvas").getContext("webgl2", { failIfMajorPerformanceCaveat: true });
  if (context === null) return (known = false);
  const names = context.getExtension("WEBGL_debug_renderer_info");
  const driver: unknown = context.getParameter(names ? names.UNMASKED_RENDERER_WEBGL : context.RENDERER);
  context.getExtension("WEBGL_lose_context")?.loseContext();
  return (known = typeof driver !== "string" || !ON_THE_PROCESSOR.test(driver));
}
