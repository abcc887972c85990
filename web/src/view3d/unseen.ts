import type { Vector2, WebGLRenderer } from 'three'

/**
 * Stands in for the renderer where nobody looks (`limus.view` is `off`): it takes what it is told and draws nothing, so
 * that no graphics memory, shader or light is made. All but the drawing goes on as usual.
 */
export function unseen(): WebGLRenderer {
  const nothing = () => undefined
  return {
    autoClear: true,
    capabilities: { maxTextures: 16 },
    shadowMap: { enabled: false },
    clear: nothing,
    dispose: nothing,
    getClearAlpha: () => 0,
    getClearColor: <T>(color: T) => color,
    getDrawingBufferSize: (size: Vector2) => size.set(1, 1),
    render: nothing,
    setClearColor: nothing,
    setPixelRatio: nothing,
    setRenderTarget: nothing,
    setSize: nothing,
  } as unknown as WebGLRenderer
}
