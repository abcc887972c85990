import type { Change } from './difference'
import type { components } from './schema'

/**
 * The scene document, generated from the models of the core (`make types`). Fields of effects, sources and bases are
 * read by the names that the catalogue gives, so that only their `kind` is known here.
 */
export interface WithKind {
  kind: string
  [field: string]: unknown
}

type S = components['schemas']
/** Documents come whole: what has a default is there. */
type Whole<T> = { [K in keyof T]-?: Exclude<T[K], undefined> }
/** Fields that the catalogue describes are read and written by their names. */
type Named = { [field: string]: unknown }

export type Term = Omit<Whole<S['Term']>, 'source'> & { source: WithKind } & Named
export type Cut = Whole<S['Cut']> & Named
export type Recipe = { terms: Term[]; cut: Cut | null }
export type ChannelUse = Whole<S['ChannelUse']>
export type Layer = Omit<Whole<S['Layer']>, 'effect' | 'where' | 'channels'> & {
  effect: WithKind
  where: Recipe
  channels: Record<string, ChannelUse>
}
export type Episode = Omit<Whole<S['Episode']>, 'where'> & { where: Recipe }
export type Snapshot = Whole<S['Snapshot']>
export type Neighbour = Whole<S['Neighbour']>
export type SceneObject = Omit<Whole<S['ObjectFile']>, 'neighbours'> & { neighbours: Neighbour[] }
export type Finding = Whole<S['Finding']>
export type Facts = Omit<Whole<S['Facts']>, 'findings' | 'uv' | 'mesh'> & {
  findings: Finding[]
  uv: Whole<S['UvHealth']>
  mesh: Whole<S['MeshHealth']>
}
export type ReplaceReport = Whole<S['Comparison']>
export type Levels = Whole<S['Levels']> & Named
export type MapUse = Whole<S['MapUse']>
/** A base material on some parts; ``where`` lays it over the ones before it. */
export type Base = Omit<Whole<S['BaseChoice']>, 'material' | 'where' | 'placing' | 'levels' | 'flags'> & {
  material: WithKind
  where: Recipe | null
  placing: Record<string, unknown>
  levels: Record<string, Levels>
  flags: Record<string, unknown>
} & Named
/** A material as an effect lays it on. */
export type Laid = Pick<Base, 'name' | 'material' | 'placing' | 'relief' | 'occlusion' | 'levels' | 'flags'>
export type ChannelRange = Whole<S['ChannelRange']>
export type Scene = Omit<
  Whole<S['Scene']>,
  'object' | 'setting' | 'bases' | 'layers' | 'episodes' | 'snapshots' | 'vertex_paint'
> & {
  object: SceneObject
  setting: Record<string, unknown>
  bases: Base[]
  layers: Layer[]
  episodes: Episode[]
  snapshots: Snapshot[]
  vertex_paint: Whole<S['VertexStroke']>[]
  accepted: string[]
}
/** The document as the API takes it. */
export type Sent = S['Scene']
export type SentStroke = S['Stroke']

export type Entry = S['KindEntry']
export type Catalogue = S['Catalogue']
export type Evaluation = S['Answer']
export type Look = S['Look']
export type LookOut = S['LookAnswer']
export type Maps = S['MapsAnswer']
export type Legend = S['Legend']
/** Documents and facts inside answers are taken up as the types above. */
export type ObjectOut = Omit<S['ObjectOut'], 'scene' | 'facts'> & { scene: VersionOut; facts: unknown }
export type VersionOut = Omit<S['VersionOut'], 'document'> & { document: unknown }
/** A version by its difference from `base`. */
export type EditOut = Omit<Whole<S['EditOut']>, 'change'> & { change: Change[] }
export type Project = S['ProjectOut']
export type Job = S['JobOut']
export type Intake = Omit<S['IntakeOut'], 'facts' | 'report'> & { facts: unknown; report: unknown }
export type Shelf = S['ShelfOut']
export type ReviewFinding = Whole<S['Found']>
export type Near = S['NearOut']
export type GuideEntry = Whole<S['GuideEntry']>
export type Recognised = Omit<S['RecognisedOut'], 'base'> & { base: unknown }
export type ShelvedTreatment = S['TreatmentOut']
export type BaseSaid = S['BaseAnswer']
export type ChannelFact = S['ChannelEntry']

/** What the catalogue says of one field. */
export interface FieldSchema {
  title?: string
  description?: string
  type?: string
  control?:
    | 'slider'
    | 'colour'
    | 'choice'
    | 'switch'
    | 'parts'
    | 'others'
    | 'exposed'
    | 'seed'
    | 'optional'
    | 'curve'
    | 'picture'
    | 'layer'
    | 'coat'
    | 'line'
    | 'strokes'
    | 'picks'
    | 'text'
    | 'place'
    | 'eye'
    | 'maps'
    | 'substance'
    | 'ranges'
  unit?: string
  /** Only layers before this one can be chosen. */
  earlier?: boolean
  soft?: [number, number]
  scale?: 'linear' | 'log'
  /** What the slider moves by, in the unit of the field. */
  step?: number
  /** Said below the control, behind the coverage of the layer. */
  says?: string
  minimum?: number
  maximum?: number
  default?: unknown
  enum?: string[]
  names?: Record<string, string>
  when?: Record<string, unknown>
  unless?: Record<string, unknown>
  place?: 'amount'
  group?: string
  /** Of an optional number: what holds without it, and where it begins. */
  empty?: string
  start?: number
  anyOf?: { type: string; minimum?: number; maximum?: number }[]
}

/** The fields of an effect, a source, a term or a cut, in the order they were declared; `kind` left out. */
export function fieldsOf(schema: Record<string, unknown>): [string, FieldSchema][] {
  const properties = (schema.properties ?? {}) as Record<string, FieldSchema>
  return Object.entries(properties).filter(([name]) => name !== 'kind')
}

/** Every field with its default, as a new one has it. */
export function defaultsOf(schema: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(fieldsOf(schema).map(([name, field]) => [name, field.default ?? null]))
}

const holds = (wanted: Record<string, unknown>, values: Record<string, unknown>) =>
  Object.entries(wanted).every(([name, value]) => name === 'any' || values[name] === value)
/** Whether a field is to be shown, given the values of its neighbours. */
export function applies(field: FieldSchema, values: Record<string, unknown>): boolean {
  return (
    holds(field.when ?? {}, values) &&
    (!field.when?.any || (field.when.any as Record<string, unknown>[]).some((one) => holds(one, values))) &&
    Object.entries(field.unless ?? {}).every(([name, value]) => values[name] !== value)
  )
}

/** A tile of the maps of one map set: which from the left and from the top, and pixels along a side of all of them. */
export interface Tile {
  page: number
  x: number
  y: number
  density: number
}
