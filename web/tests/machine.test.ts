// @vitest-environment happy-dom
import { expect, test, vi } from 'vitest'
import { drawnByProcessor } from '../src/view3d/machine'

const NAME = 37446
function on(name: unknown, lost = vi.fn()) {
  const extensions: Record<string, unknown> = {
    WEBGL_debug_renderer_info: name === undefined ? null : { UNMASKED_RENDERER_WEBGL: NAME },
    WEBGL_lose_context: { loseContext: lost },
  }
  HTMLCanvasElement.prototype.getContext = (() => ({
    getExtension: (asked: string) => extensions[asked],
    getParameter: (asked: number) => (asked === NAME ? name : 0),
  })) as never
  return lost
}

test('what draws on the processor is known by its name', () => {
  for (const name of [
    'ANGLE (Mesa/X.org, llvmpipe (LLVM 15.0.6 256 bits), OpenGL ES 3.2)',
    'ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device (Subzero)), SwiftShader driver)',
    'Microsoft Basic Render Driver',
  ]) {
    const lost = on(name)
    expect(drawnByProcessor(), name).toBe(true)
    // A page has room for a few only.
    expect(lost).toHaveBeenCalledOnce()
  }
})

test('a graphics card is none, nor what does not say its name, nor none at all', () => {
  for (const name of ['ANGLE (Vendor, A graphics card, OpenGL 4.6)', undefined, null]) {
    on(name)
    expect(drawnByProcessor()).toBe(false)
  }
  HTMLCanvasElement.prototype.getContext = (() => null) as never
  expect(drawnByProcessor()).toBe(false)
})
