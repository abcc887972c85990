import { api, messageOf } from '../../api/client'
import type { Job } from '../../api/scene'
import { during } from '../../rest'
import { type State, type Verbs } from './state'

/** Long work: started, followed to its end, cancelled. */
export function jobs(s: State, w: Verbs) {
  const { object, measuring, unwrapping, trouble, notice, facts } = s
  let measurement = 0
  async function measure(quality: 'good' | 'fine' = 'good') {
    const item = object.value
    if (!item || !facts.value?.uv.present) return
    const mine = ++measurement
    await w.saved()
    const { data } = await api.POST('/api/objects/{object_id}/jobs', {
      params: { path: { object_id: item.id } },
      body: { kind: 'measure', quality },
    })
    let drafted = item.readings !== 'missing' && item.readings !== 'outdated'
    const job = await follow(
      data,
      (now) => {
        measuring.value = now
        if (!drafted && now.progress >= 0.1 && object.value) {
          drafted = true
          object.value = { ...object.value, readings: 'draft' }
          w.full()
        }
      },
      () => mine === measurement && object.value?.id === item.id,
    )
    if (mine !== measurement) return
    measuring.value = undefined
    if (object.value?.id !== item.id) return
    if (job?.state === 'done') {
      object.value = { ...object.value, readings: quality }
      w.full()
    } else if (job?.state === 'failed') trouble.value = job.error
    else if (job?.state === 'cancelled') notice.value = 'Measuring was cancelled. Measure again in the Object stage.'
  }

  /**
   * Follow long work to its end, through a server that is away for a while; what it is when `alive` says that nobody
   * looks any more, or nothing when it is gone.
   */
  const follow = (job: Job | undefined, say: (job: Job) => void, alive: () => boolean = () => true) =>
    during('long work', followed(job, say, alive))
  async function followed(
    job: Job | undefined,
    say: (job: Job) => void,
    alive: () => boolean,
  ): Promise<Job | undefined> {
    let missed = 0
    while (job && (job.state === 'queued' || job.state === 'running') && alive()) {
      say(missed > 3 ? { ...job, word: 'Waiting for the server', seconds_left: null } : job)
      await new Promise((go) => setTimeout(go, Math.min(400 * (missed + 1), 4000)))
      try {
        const found: { data?: Job; response: Response } = await api.GET('/api/jobs/{job_id}', {
          params: { path: { job_id: job.id } },
        })
        if (found.data) {
          job = found.data
          missed = 0
        } else if (found.response.status < 500) return undefined
        else missed++
      } catch {
        missed++
      }
    }
    return job
  }

  /** Make UVs; the object can be looked at and worked on meanwhile, and takes them up when they are there. */
  async function unwrap() {
    const item = object.value
    if (!item) return
    await w.saved()
    const { data, error } = await api.POST('/api/objects/{object_id}/jobs', {
      params: { path: { object_id: item.id } },
      body: { kind: 'unwrap', quality: 'good' },
    })
    if (!data) trouble.value = messageOf(error)
    else await watchUnwrapping(data)
  }
  async function followUnwrapping(id: number) {
    if (unwrapping.value?.id === id) return
    const { data } = await api.GET('/api/jobs/{job_id}', { params: { path: { job_id: id } } })
    if (data) await watchUnwrapping(data)
  }
  async function watchUnwrapping(job: Job) {
    const item = object.value
    const here = () => object.value?.id === item?.id
    const done = await follow(job, (now) => here() && (unwrapping.value = now), here)
    if (!here()) return
    unwrapping.value = undefined
    if (done?.state === 'done') await w.reload()
    else if (done?.state === 'failed') trouble.value = done.error
    else if (done?.state === 'cancelled') notice.value = 'Unwrapping was cancelled. The UVs are as they were.'
  }
  async function cancelUnwrapping() {
    if (unwrapping.value)
      await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: unwrapping.value.id } } })
  }

  async function cancelMeasuring() {
    if (measuring.value)
      await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: measuring.value.id } } })
  }

  return { measure, follow, cancelMeasuring, unwrap, followUnwrapping, cancelUnwrapping }
}
