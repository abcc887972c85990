/** Coarse drawing for machines that draw slowly: set `limus.plain` in the browser's local storage. */
export const PLAIN = localStorage.getItem('limus.plain') === '1'

/** Names of what draws on the processor, where no graphics card does it. */
const BY_PROCESSOR = /llvmpipe|softpipe|swiftshader|software|basic render/i

/** Whether there is no graphics card: then each triangle is what takes long. */
export function drawnByProcessor(drawing: WebGLRenderingContext | WebGL2RenderingContext): boolean {
  const names = drawing.getExtension('WEBGL_debug_renderer_info')
  const name: unknown = drawing.getParameter(names ? names.UNMASKED_RENDERER_WEBGL : drawing.RENDERER)
  return typeof name === 'string' && BY_PROCESSOR.test(name)
}
