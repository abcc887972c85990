import { defineStore } from 'pinia'
import { episodes } from './work/episodes'
import { evaluating } from './work/evaluating'
import { history } from './work/history'
import { jobs } from './work/jobs'
import { layers } from './work/layers'
import { opening } from './work/opening'
import { recipes } from './work/recipes'
import { client, copy, stateOf, type Verbs } from './work/state'
import { treatments } from './work/treatments'

export { DRAG_SIZES, type Size } from './work/state'

/**
 * The object being worked on: its scene, its history, and what the view shows of it. Each part is a file of its own in
 * `work/`.
 */
export const useWork = defineStore('work', () => {
  const state = stateOf()
  // Each part may ask the others, once all are there.
  const verbs = {} as Verbs
  const parts = {
    ...evaluating(state, verbs),
    ...history(state, verbs),
    ...opening(state, verbs),
    ...jobs(state, verbs),
    ...recipes(state, verbs),
    ...layers(state, verbs),
    ...episodes(state, verbs),
    ...treatments(state, verbs),
  }
  Object.assign(verbs, parts)
  return { client, copy, ...state, ...parts }
})
