import type { components } from './schema'

/** The scene document. Fields of effects and sources come from the catalogue; only their `kind` is known here. */
export interface WithKind {
  kind: string
  [field: string]: unknown
}

export interface Term {
  source: WithKind
  low: number
  high: number
  gamma: number
  curve: [number, number][] | null
  link: string
  solo: boolean
  invert: boolean
  soften_mm: number
  out_low: number
  out_high: number
  combine: string
  amount: number
  muted: boolean
  [field: string]: unknown
}

export interface Cut {
  by: 'level' | 'coverage'
  level: number
  coverage: number
  width: number
  [field: string]: unknown
}

export interface Recipe {
  terms: Term[]
  cut: Cut | null
}

export interface ChannelUse {
  on: boolean
  amount: number
  blend: string
}

export interface Layer {
  id: string
  name: string
  on: boolean
  effect: WithKind
  where: Recipe
  strength: number
  channels: Record<string, ChannelUse>
  /** Id of the episode it belongs to, or "". */
  episode: string
  /** Year after the object was new in which it begins; fixed: it does not grow. */
  since: number
  fixed: boolean
}

/** Layers under one bracket. */
export interface Episode {
  id: string
  name: string
  on: boolean
  strength: number
  where: Recipe
  folded: boolean
}

export interface Neighbour {
  id: string
  name: string
  file: string
  on: boolean
  position_mm: [number, number, number]
  rotation_deg: [number, number, number]
  scale: number
  up: string
}

export interface SceneObject {
  file: string
  scale: number
  uv: 'own' | 'unwrapped'
  turned: string[]
  two_sided: string[]
  subdivide_mm: number | null
  own_maps: boolean
  twin: { file: string; reach_mm: number | null } | null
  neighbours: Neighbour[]
}

/** What inspection found; see `limus inspect --json`. */
export interface Finding {
  key: string
  level: 'good' | 'note' | 'warning' | 'problem'
  what: string
  why: string
  mend: string
  action: '' | 'unwrap' | 'turn' | 'two_sided' | 'scale'
  parts: string[]
}
export interface Facts {
  file: string
  triangles: number
  vertices: number
  size_m: [number, number, number]
  area_m2: number
  suggested_scale: number
  suggested_up?: string
  unit_known: boolean
  parts: { name: string; triangles: number; map_set: string; back: boolean }[]
  map_sets: string[]
  vertex_colours: boolean
  longest_edge_mm: number
  textures: string[]
  uv: { present: boolean; islands: number; used: number; missing: string[]; gap: number | null; density: number }
  mesh: { inside_out: string[]; sheets: string[] }
  findings: Finding[]
}
export interface ReplaceReport {
  kept: string[]
  look: string[]
  gone: { name: string; used_by: string[]; suggestion: string }[]
  new: string[]
}

/** How one channel of a base is levelled. */
export interface Levels {
  value: number[] | null
  [field: string]: unknown
}
export interface MapUse {
  file: string
  role: string
  component: string
  colour: string
}
/** A base material on some parts; ``where`` lays it over the ones before it. */
export interface Base {
  name: string
  material: WithKind
  parts: string[] | null
  where: Recipe | null
  placing: Record<string, unknown>
  levels: Record<string, Levels>
  flags: Record<string, unknown>
  [field: string]: unknown
}

export interface Scene {
  version: number
  name: string
  object: SceneObject
  setting: Record<string, unknown>
  seed: number
  bases: Base[]
  layers: Layer[]
  episodes: Episode[]
  /** Year in which it is looked at; null: today. */
  year: number | null
  vertex_paint: { file: string; channel: string }[]
}

type S = components['schemas']
export type Entry = S['FieldsOut']
export type Catalogue = S['CatalogueOut']
export type Evaluation = S['Answer']
export type Look = S['Look']
export type LookOut = S['LookAnswer']
export type Maps = S['MapsAnswer']
export type Legend = S['Legend']
export type ObjectOut = S['ObjectOut']
export type VersionOut = S['VersionOut']
export type Project = S['ProjectOut']
export type Job = S['JobOut']
export type Intake = S['IntakeOut']
export type Shelf = S['ShelfOut']
export type Recognised = S['RecognisedOut']
export type ShelvedTreatment = S['TreatmentOut']
export type BaseSaid = S['BaseAnswer']
export type ChannelFact = S['ChannelOut']

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
  unit?: string
  soft?: [number, number]
  scale?: 'linear' | 'log'
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

/** Whether a field is to be shown, given the values of its neighbours. */
export function applies(field: FieldSchema, values: Record<string, unknown>): boolean {
  return (
    Object.entries(field.when ?? {}).every(([name, value]) => values[name] === value) &&
    Object.entries(field.unless ?? {}).every(([name, value]) => values[name] !== value)
  )
}
