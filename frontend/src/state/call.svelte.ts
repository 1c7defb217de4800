import { api, ask, type Answer, Failure, follow, known, sendFile } from '../lib/api'
import { house } from '../lib/format'
import { broughtUpToDate } from '../lib/reply'
import type {
  Call,
  Entries,
  EntryChange,
  Evaluation,
  JobPatch,
  ListName,
  MeasureNext,
  NewTrial,
  Patch,
  PlacedPlan,
  Plan,
  ChannelPlan,
  RadioSetting,
  Settings,
  Stand,
  Task,
  TruthView,
} from '../lib/types'
import { notices } from './notices.svelte'
import { rules } from './rules.svelte'

/** What is being tried: settings, and where nodes would stand. */
interface Tried {
  settings: Settings | null
  stands: Record<string, Stand>
}

/** What a search may change beside channels and widths. */
export interface Free {
  power: boolean
  switch_off: boolean
  links: boolean
  steering: boolean
}

/** What a search keeps as it was set by hand, and which nodes can be moved. */
export interface Kept {
  pinned: string[]
  hold_ssid_plan: boolean
  hold_links: boolean
  hold_zigbee: boolean
  move_node_ids: string[]
}

const sameSettings = (a: Settings, b: Settings) => JSON.stringify(a) === JSON.stringify(b)

/** The call on the screen: as stored, and the setting that is being tried on it. */
export class CallState {
  call = $state<Call>()!
  trial = $state<Settings | null>(null)
  stands = $state<Record<string, Stand>>({})
  trialFigures = $state<Evaluation | null>(null)
  plan = $state<Plan | null>(null)
  placed = $state<PlacedPlan | null>(null)
  measure = $state<MeasureNext | null>(null)
  task = $state<Task | null>(null)
  /** A place that Walk should stand at when it opens, from what is worth doing next. */
  atPlace = $state('')
  /** Settings tried before and after the present trial, for undo and redo on this screen. */
  private past = $state<Tried[]>([])
  private future = $state<Tried[]>([])
  /** What is altered meanwhile, while several changes are gathered into one step. */
  private gathered: EntryChange[] | null = null
  private asked = 0
  /** Ends when the figures of what is on trial are here. */
  private showing: Promise<void> = Promise.resolve()
  private stepping: Promise<void> = Promise.resolve()

  constructor(call: Call) {
    this.call = call
    Object.assign(known, { callId: call.id, revision: call.revision })
    house.timeZone = call.job.time_zone
  }

  get id() {
    return this.call.id
  }
  get job() {
    return this.call.job
  }
  /** Whether this is a practice house: only there do simulated instruments measure and routers answer. */
  get practice() {
    return this.call.job.kind === 'practice'
  }
  get now() {
    return this.call.now
  }
  get settings(): Settings {
    return this.trial ?? this.job.settings
  }
  get busy() {
    return this.task !== null
  }
  get undoText() {
    return this.past.length ? 'the last trial settings' : this.call.undo
  }
  get redoText() {
    return this.future.length ? 'the next trial settings' : this.call.redo
  }

  private path = () => ({ params: { path: { call_id: this.id } } })

  async reload() {
    this.showCall(await ask(api.GET('/api/calls/{call_id}', this.path())))
  }

  /** Take over a call as the server has it now. Trial settings belong to the house they were made on: they stay as
   * long as only what is written beside it changes (a complaint, a date, a note). */
  take(call: Call) {
    // A reply tells all that differs from the revision that it was asked on: that may be an older one than is shown.
    const beside =
      call.since !== null &&
      Object.keys(call.entries).length === 0 &&
      Object.keys(call.job).every((f) => rules.offered.fields_beside.includes(f))
    this.showCall(call)
    if (!beside) this.forgetTrial()
  }

  /** Show a call; of a reply that says since when, the fields that are missing are those that are here already. An
   * answer that is older than what is shown comes too late. */
  private showCall(call: Call) {
    if (call.revision < this.call.revision) return
    this.call = call.since === null ? call : { ...call, job: broughtUpToDate(this.call.job, call) }
    Object.assign(known, { callId: call.id, revision: call.revision })
    house.timeZone = this.call.job.time_zone
  }

  forgetTrial() {
    this.trial = null
    this.stands = {}
    this.trialFigures = null
    this.plan = null
    this.placed = null
    this.measure = null
    this.past = []
    this.future = []
  }

  /** Set fields of the call: a merge patch, objects field by field, lists as a whole, null empties. */
  set(job: JobPatch, summary: string) {
    const body = { job, ...this.madeOn(summary) }
    return this.change(() => api.PATCH('/api/calls/{call_id}/job', { ...this.path(), body }), summary)
  }

  /** Add an entry to a list of the call; without an identifier it gets one from its name. */
  add<N extends ListName>(name: N, entry: Partial<Entries[N]>, summary: string) {
    const params = { path: { call_id: this.id, name } }
    const body = { entry, ...this.madeOn(summary) }
    return this.change(() => api.POST('/api/calls/{call_id}/entries/{name}', { params, body }), summary)
  }

  /** Change fields of an entry; objects field by field. */
  alter<N extends ListName>(name: N, key: string, entry: Patch<Entries[N]>, summary: string) {
    if (this.gathered) {
      this.gathered.push({ name, key, entry })
      return Promise.resolve(true)
    }
    const params = { path: { call_id: this.id, name, key } }
    const body = { entry, ...this.madeOn(summary) }
    return this.change(
      () => api.PATCH('/api/calls/{call_id}/entries/{name}/{key}', { params, body }),
      summary,
    )
  }

  /** Entries that are altered one after another by one act go as one step, which one undo takes back. */
  asOne(act: () => string) {
    const changes: EntryChange[] = []
    this.gathered = changes
    let said: string
    try {
      said = act()
    } finally {
      this.gathered = null
    }
    if (!changes.length) return Promise.resolve(true)
    const body = { changes, ...this.madeOn(said) }
    return this.change(() => api.PATCH('/api/calls/{call_id}/entries', { ...this.path(), body }), said)
  }

  /** Take an entry away, with what names it. */
  remove(name: ListName, key: string, summary: string) {
    const params = { path: { call_id: this.id, name, key }, query: this.madeOn(summary) }
    return this.change(() => api.DELETE('/api/calls/{call_id}/entries/{name}/{key}', { params }), summary)
  }

  /** The revision that an edit is made on, and what it does, as the API takes them. */
  madeOn(summary: string) {
    return { revision: this.call.revision, summary: summary.slice(0, 80) }
  }

  /** Where the call was changed elsewhere, show it as it is now: nothing is overwritten unseen. */
  private async refused(error: unknown): Promise<false> {
    if (error instanceof Failure && error.status === 409) await this.reload().catch(() => {})
    notices.fail(error)
    return false
  }

  /** A change that the application makes; what it answers is taken over. */
  async change(request: () => Promise<Answer<Call>>, said: string): Promise<boolean> {
    try {
      this.take(await ask(request()))
      notices.say(`Saved: ${said}.`)
      return true
    } catch (error) {
      return this.refused(error)
    }
  }

  /** Steps one after another, however fast they are asked for. */
  step(by: 1 | -1): Promise<void> {
    this.stepping = this.stepping.then(() => this.stepOnce(by))
    return this.stepping
  }

  private async stepOnce(by: 1 | -1): Promise<void> {
    try {
      if (by < 0 && this.past.length) return await this.turn(this.past, this.future)
      if (by > 0 && this.future.length) return await this.turn(this.future, this.past)
      const path = by < 0 ? '/api/calls/{call_id}/undo' : '/api/calls/{call_id}/redo'
      const what = by < 0 ? this.call.undo : this.call.redo
      const params = { path: { call_id: this.id }, query: { revision: this.call.revision } }
      this.take(await ask(api.POST(path, { params })))
      notices.say(by < 0 ? `Taken back: ${what}.` : `Done again: ${what}.`)
    } catch (error) {
      await this.refused(error)
    }
  }

  private async turn(from: Tried[], to: Tried[]) {
    const trial = from.pop() ?? { settings: null, stands: {} }
    to.push(this.tried)
    await this.show(trial.settings, trial.stands)
  }

  private get tried(): Tried {
    return { settings: this.trial, stands: this.stands }
  }

  /** Where nodes would stand, as the API takes it. */
  get standList() {
    return Object.entries(this.stands).map(([node_id, stand]) => ({ node_id, stand }))
  }

  /** Try a setting: its figures come from the core. */
  async try(settings: Settings | null) {
    this.past.push(this.tried)
    this.future = []
    const same = settings && sameSettings(settings, this.job.settings)
    await this.show(same ? null : settings, settings ? this.stands : {})
  }

  /** Try a node in another spot, at another height, with its antennas otherwise. */
  async tryStand(nodeId: string, stand: Stand) {
    this.past.push(this.tried)
    this.future = []
    await this.show(this.trial, { ...this.stands, [nodeId]: stand })
  }

  /** Try a finding's settings and stands on top of what is on trial. */
  async tryAll(settings: Settings | null, stands: Record<string, Stand>) {
    this.past.push(this.tried)
    this.future = []
    const same = settings && sameSettings(settings, this.job.settings)
    await this.show(settings && !same ? settings : this.trial, { ...this.stands, ...stands })
  }

  /** Write down that the nodes stand where they are on trial. */
  async keepStands(all_along = false) {
    const names = this.job.nodes.filter((n) => this.stands[n.id]).map((n) => n.name)
    const summary = `${all_along ? 'corrected' : 'moved'} ${names.join(', ')}`
    const body = { stands: this.standList, all_along, ...this.madeOn(summary) }
    return this.change(() => api.POST('/api/calls/{call_id}/stands', { ...this.path(), body }), summary)
  }

  async tryRadio(setting: RadioSetting) {
    const radios = this.settings.radios.map((s) => (s.radio_id === setting.radio_id ? setting : s))
    await this.try({ ...this.settings, radios })
  }

  /** Whether what is on trial can be applied, once its figures are here: it changes something and is lawful. */
  async canBeApplied(): Promise<boolean> {
    await this.showing
    return !!this.trialFigures?.changes && this.trialFigures.lawful
  }

  private show(settings: Settings | null, stands: Record<string, Stand>): Promise<void> {
    this.showing = this.evaluate(settings, stands)
    return this.showing
  }

  private async evaluate(settings: Settings | null, stands: Record<string, Stand>) {
    const mine = ++this.asked
    this.trial = settings
    this.stands = stands
    if (!settings && Object.keys(stands).length === 0) {
      this.trialFigures = null
      return
    }
    try {
      const figures = await ask(
        api.POST('/api/calls/{call_id}/evaluate', {
          ...this.path(),
          body: { settings: this.settings, stands: this.standList },
        }),
      )
      if (mine === this.asked) this.trialFigures = figures
    } catch (error) {
      notices.fail(error)
    }
  }

  private async run(start: () => Promise<Task>, seen?: (task: Task) => void): Promise<Task | null> {
    if (this.task) return null
    try {
      const first = await start()
      return await follow(first, (task) => {
        this.task = task
        seen?.(task)
      })
    } catch (error) {
      notices.fail(error)
      return null
    } finally {
      this.task = null
    }
  }

  async listen(placeIds: string[], withTests: boolean) {
    const body = { place_ids: placeIds, with_tests: withTests }
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/listen', { ...this.path(), body })))
    if (done) await this.measured(done)
  }

  async readFile(file: File, placeId: string, channel?: number) {
    const query = `place_id=${encodeURIComponent(placeId)}&name=${encodeURIComponent(file.name)}${channel ? `&channel=${channel}` : ''}`
    const base = `/api/calls/${this.id}`
    if (/\.(txt|json|log)$/i.test(file.name))
      return void (await this.readText(await file.text(), placeId, file.name))
    if (file.name.toLowerCase().endsWith('.csv')) {
      try {
        this.take(await sendFile<Call>(`${base}/readings?${query}`, file, () => {}))
        notices.say(`Read ${file.name}.`)
      } catch (error) {
        notices.fail(error)
      }
      return
    }
    const sending = (fraction: number) => {
      this.task = { ...waiting(), text: `sending ${file.name}`, done_fraction: fraction / 2 }
    }
    sending(0)
    this.task = null
    const done = await this.run(() => sendFile<Task>(`${base}/captures?${query}`, file, sending))
    if (done) await this.measured(done)
  }

  /** A tool's text for a spot, pasted or from a file: the server recognises what it is. */
  async readText(text: string, placeId: string, name: string) {
    const query = `place_id=${encodeURIComponent(placeId)}&name=${encodeURIComponent(name)}`
    try {
      const file = new File([text], name, { type: 'text/plain' })
      this.take(await sendFile<Call>(`/api/calls/${this.id}/texts?${query}`, file, () => {}))
      notices.say(this.call.undo ? `Read: ${this.call.undo}.` : `Read ${name}.`)
      return true
    } catch (error) {
      notices.fail(error)
      return false
    }
  }

  /** Run iperf3 from this computer against a host of the house. */
  async runIperf3(place_id: string, host: string, over: 'wi-fi' | 'cable' | 'this computer itself') {
    const body = { place_id, host, port: 5201, over }
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/iperf3', { ...this.path(), body })))
    if (done) await this.measured(done)
  }

  /** Scan with this computer's own Wi-Fi card at a spot. */
  async scanHere(placeId: string) {
    const params = { path: { call_id: this.id }, query: { place_id: placeId } }
    return this.change(
      () => api.POST('/api/calls/{call_id}/scan', { params }),
      'a scan of this computer’s Wi-Fi card',
    )
  }

  private async measured(task: Task) {
    await this.reload()
    notices.say(task.notes.join('. ') + '.')
  }

  /** End the work that goes on with what it has so far. */
  async stop() {
    if (!this.task) return
    try {
      await ask(api.POST('/api/tasks/{task_id}/stop', { params: { path: { task_id: this.task.id } } }))
    } catch (error) {
      notices.fail(error)
    }
  }

  async tune(channel_plan: ChannelPlan, avoidRadar: boolean, kept: Kept, free: Free) {
    const body = {
      channel_plan,
      avoid_dfs: avoidRadar,
      seconds: 20,
      settings: this.settings,
      ...kept,
      ...free,
    }
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/tune', { ...this.path(), body })))
    if (done?.plan) {
      this.plan = done.plan
      this.placed = done.placed
      this.measure = null
      const stands = Object.fromEntries((done.placed?.stands ?? []).map((s) => [s.node_id, s.stand]))
      await this.tryPlan(done.plan.settings, stands)
    }
  }

  /** Try a plan as a whole: its settings, and where it puts nodes. */
  async tryPlan(settings: Settings, stands: Record<string, Stand>) {
    this.past.push(this.tried)
    this.future = []
    await this.show(sameSettings(settings, this.job.settings) ? null : settings, stands)
  }

  /** Keep what is on trial under a name; the trial stays. */
  async keepPlan(name: string) {
    const body = { name, settings: this.settings, stands: this.standList }
    const path = '/api/calls/{call_id}/plans'
    return this.change(() => api.POST(path, { ...this.path(), body }), `kept ${name}`)
  }

  /** Plan a trial of two ways in turns; what is on trial stays. */
  async planTrial(body: NewTrial) {
    const path = '/api/calls/{call_id}/ab-tests'
    return this.change(() => api.POST(path, { ...this.path(), body }), `planned ${body.name}`)
  }

  /** Take a trial's turns on the nodes until it is decided or stopped; every turn is shown as it is kept. */
  async runTrial(trialId: string) {
    const params = { path: { call_id: this.id, ab_test_id: trialId } }
    const path = '/api/calls/{call_id}/ab-tests/{ab_test_id}/run'
    let kept = 0
    const done = await this.run(
      () => ask(api.POST(path, { params })),
      (task) => {
        if (task.notes.length > kept) void this.reload().catch(() => {})
        kept = task.notes.length
      },
    )
    if (done) await this.measured({ ...done, notes: done.notes.slice(-2) })
    else await this.reload().catch(() => {})
  }

  /** Which single measurement would most likely change the plan. */
  async measureNext(plan: Plan) {
    const others = plan.alternatives.map((a) => a.settings).slice(0, 40)
    const body = { settings: plan.settings, others }
    const path = '/api/calls/{call_id}/measure-next'
    const done = await this.run(() => ask(api.POST(path, { ...this.path(), body })))
    if (done?.measure) this.measure = done.measure
    else if (done) notices.say('Stopped before anything was looked into.')
  }

  /** Make the change sheet from what is on trial, or from settings. */
  /** Where the settings on trial come from, as the sheet says it. */
  get reason() {
    return this.plan ? 'best setting found' : 'set by hand'
  }

  async makeSheet(settings: Settings, reason: string, replace = false) {
    const body = { settings, reason, replace }
    return this.change(
      () => api.POST('/api/calls/{call_id}/sheet', { ...this.path(), body }),
      'a change sheet',
    )
  }

  /** Of a practice house: what its settings really do. */
  async showTruth(): Promise<TruthView | null> {
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/truth', this.path())))
    return done?.truth ?? null
  }

  /** Of a practice house: where something is to be gained, without saying how. */
  async hint() {
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/hint', this.path())))
    if (done) notices.say(`${done.notes[0]}.`)
  }

  /** Do a step of the sheet on the nodes, or take it back there. */
  async sendStep(stepId: string, back: boolean) {
    const params = { path: { call_id: this.id, step_id: stepId }, query: { back } }
    const path = '/api/calls/{call_id}/sheet/{step_id}/send'
    const done = await this.run(() => ask(api.POST(path, { params })))
    if (done) {
      this.forgetTrial()
      await this.measured({ ...done, notes: done.notes.slice(-2) })
    }
  }

  /** Set the nodes back to what the call says, after a trial that was cut off. */
  async setBoxesBack() {
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/boxes/back', this.path())))
    if (done) await this.measured(done)
  }

  async apply(settings: Settings, reason: string) {
    const body = { settings, reason }
    const done = await this.run(() => ask(api.POST('/api/calls/{call_id}/apply', { ...this.path(), body })))
    if (done) {
      this.forgetTrial()
      await this.measured({ ...done, notes: done.notes.filter((n) => /read back|nothing/.test(n)) })
    }
    return done !== null
  }
}

const waiting = (): Task => ({
  id: '',
  kind: 'upload',
  call_id: 0,
  state: 'running',
  text: '',
  done_fraction: 0,
  notes: [],
  error: null,
  plan: null,
  placed: null,
  measure: null,
  truth: null,
  stop_wanted: false,
})
