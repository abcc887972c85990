/** The five stages in the order of the work. A stage without a route is not built yet and says what it will hold. */
export interface Stage {
  title: string
  route?: 'object' | 'weather' | 'export'
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
    about: 'Not built yet: give the parts their base materials, from texture files or from the store room.',
  },
  { title: 'Weather', route: 'weather', about: 'Tell what happened to the surface, layer by layer.' },
  {
    title: 'Review',
    about: 'Not built yet: judge the surface beside reference pictures, in several lights, and read the findings.',
  },
  { title: 'Export', route: 'export', about: 'Take finished maps away.' },
]
