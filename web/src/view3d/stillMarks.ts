/** What is written on a still: how long a millimetre is, and a line of words. */
export interface Marks {
  scale: boolean
  caption: string
  /** Millimetres for a pixel of the still. */
  perPixel: number
}

/** The round length that fits within so many pixels, and its words. */
export function barOf(perPixel: number, within: number): { pixels: number; text: string } {
  const wanted = perPixel * within
  if (!(wanted > 0)) return { pixels: 0, text: '' }
  const ten = 10 ** Math.floor(Math.log10(wanted))
  const length = [5, 2, 1].map((k) => k * ten).find((l) => l <= wanted) ?? ten
  const text = length >= 1000 ? `${length / 1000} m` : length >= 1 ? `${length} mm` : `${Math.round(length * 1000)} µm`
  return { pixels: length / perPixel, text }
}

/** Write the marks on a picture. */
export function mark(pen: CanvasRenderingContext2D, { scale, caption, perPixel }: Marks) {
  const { width, height } = pen.canvas
  const unit = Math.max(10, Math.round(width / 70))
  pen.font = `600 ${unit}px 'Source Sans 3 Variable', sans-serif`
  pen.textBaseline = 'alphabetic'
  const write = (text: string, x: number, y: number, align: CanvasTextAlign) => {
    pen.textAlign = align
    // Legible over snow and over soot.
    pen.lineWidth = unit / 5
    pen.strokeStyle = 'rgb(255 255 255 / 0.75)'
    pen.fillStyle = '#22262a'
    pen.strokeText(text, x, y)
    pen.fillText(text, x, y)
  }
  if (caption) write(caption, unit * 1.5, height - unit * 1.4, 'left')
  const bar = barOf(perPixel, width * 0.2)
  if (!scale || !bar.pixels) return
  const right = width - unit * 1.5
  pen.fillStyle = 'rgb(255 255 255 / 0.75)'
  pen.fillRect(right - bar.pixels - 1, height - unit * 1.1 - 1, bar.pixels + 2, unit / 4 + 2)
  pen.fillStyle = '#22262a'
  pen.fillRect(right - bar.pixels, height - unit * 1.1, bar.pixels, unit / 4)
  write(bar.text, right - bar.pixels / 2, height - unit * 1.5, 'center')
}
