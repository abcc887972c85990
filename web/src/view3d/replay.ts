/** A recorded pen: what a tablet would send, to be replayed through the same path. See docs/formats.md. */
export interface PenRecord {
  version: 1
  pen: { x: number; y: number; pressure: number; tilt_x?: number; tilt_y?: number; down: boolean }[]
}

export function penRecord(text: string): PenRecord {
  const found = JSON.parse(text) as PenRecord
  const fine = (x: unknown, low: number, high: number) => typeof x === 'number' && x >= low && x <= high
  if (
    found?.version !== 1 ||
    !Array.isArray(found.pen) ||
    found.pen.length > 200000 ||
    !found.pen.every((p) => fine(p.x, 0, 1) && fine(p.y, 0, 1) && fine(p.pressure, 0, 1))
  )
    throw new Error(
      'This is not a recorded pen: it needs version 1 and a list "pen" with x, y and pressure from 0 to 1.',
    )
  return found
}

/** Send the record to an element as pointer events of a pen; resolves when the pen is up again. */
export async function replay(record: PenRecord, element: HTMLElement) {
  const box = element.getBoundingClientRect()
  let down = false
  for (const p of record.pen) {
    const type = p.down === down ? 'pointermove' : p.down ? 'pointerdown' : 'pointerup'
    element.dispatchEvent(
      new PointerEvent(type, {
        bubbles: true,
        cancelable: true,
        pointerId: 77,
        pointerType: 'pen',
        isPrimary: true,
        clientX: box.left + p.x * box.width,
        clientY: box.top + p.y * box.height,
        button: type === 'pointermove' ? -1 : 0,
        buttons: p.down ? 1 : 0,
        pressure: p.down ? p.pressure : 0,
        tiltX: p.tilt_x ?? 0,
        tiltY: p.tilt_y ?? 0,
      }),
    )
    down = p.down
    await new Promise((go) => requestAnimationFrame(go))
  }
}
