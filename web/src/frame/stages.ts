/** The five stages in the order of the work. A stage without a route is not built yet and says what it will hold. */
export interface Stage {
  title: string
  route?: 'object' | 'base' | 'weather' | 'review' | 'export'
  about: string
}

export const STAGES: Stage[] = [
  {
    title: 'Object',
    route: 'object',
    about: 'The model: its health, its UVs, the place it stands in, its readings.',
  },
  {
    title: 'Base',
    route: 'base',
    about: 'What it is made of: bases from the store room or from texture files, at their real size.',
  },
  { title: 'Weather', route: 'weather', about: 'Tell what happened to the surface, layer by layer.' },
  {
    title: 'Review',
    route: 'review',
    about: 'Judge by eye: the surface in every light, and what may be wrong with it.',
  },
  { title: 'Export', route: 'export', about: 'Take finished maps away.' },
]
