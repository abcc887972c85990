// @vitest-environment happy-dom
import { expect, test } from 'vitest'
import { drawnByProcessor } from '../src/view3d/machine'

const [MASKED, NAME] = [7937, 37446]
/** What is asked for its name: by the extension that tells it, or by what a browser says without. */
const drawing = (name: unknown, told = true) =>
  ({
    RENDERER: MASKED,
    getExtension: () => (told ? { UNMASKED_RENDERER_WEBGL: NAME } : null),
    getParameter: (asked: number) => (asked === (told ? NAME : MASKED) ? name : 'something else'),
  }) as never

const PROCESSORS = [
  'ANGLE (Mesa/X.org, llvmpipe (LLVM 15.0.6 256 bits), OpenGL ES 3.2)',
  'ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device (Subzero)), SwiftShader driver)',
  'Microsoft Basic Render Driver',
]
test.each(PROCESSORS)('what draws on the processor is known by its name: %s', (name) => {
  expect(drawnByProcessor(drawing(name))).toBe(true)
  expect(drawnByProcessor(drawing(name, false))).toBe(true)
})

test('a graphics card is none, nor what does not say its name', () => {
  for (const name of ['ANGLE (Vendor, A graphics card, OpenGL 4.6)', undefined, null])
    expect(drawnByProcessor(drawing(name))).toBe(false)
})
