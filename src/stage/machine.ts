let software: boolean | null = null;

/**
 * Whether the machine draws 3D with its processor, for want of a graphics card or its driver. There smoothing the edges
 * takes half of the time of a picture. Asked once a page; false where nothing can be drawn at all.
 */
export function drawsInSoftware(): boolean {
  if (software === null) {
    software = false;
    if (typeof document !== "undefined") {
      const gl = document.createElement("canvas").getContext("webgl2");
      const info = gl?.getExtension("WEBGL_debug_renderer_info");
      if (gl) software = isSoftware(String(gl.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : gl.RENDERER)));
      gl?.getExtension("WEBGL_lose_context")?.loseContext();
    }
  }
  return software;
}

/** Whether a renderer's name is that of one that draws with the processor. */
export function isSoftware(name: string): boolean {
  return /swiftshader|llvmpipe|softpipe|software|basic render/i.test(name);
}
