/** The five stages in the order of the work. A stage without a route is not built yet and says what it will hold. */
export interface Stage {
  title: string
  route?: 'weather' | 'export'
  about: string
}

export const STAGES: Stage[] = [
  {
    title: 'Object',
    about: 'Not built yet: bring a model in, see the health of its UVs, describe the place it stands in, replace it.',
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
