/** Units that models are made in, in metres. */
export const UNITS = [
  { label: 'metre', value: 1 },
  { label: 'centimetre', value: 0.01 },
  { label: 'millimetre', value: 0.001 },
  { label: 'inch', value: 0.0254 },
  { label: 'foot', value: 0.3048 },
]
