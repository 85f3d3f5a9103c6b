<script setup lang="ts">
import { CircleQuestionMark, Redo2, Undo2 } from '@lucide/vue'
import { computed } from 'vue'
import { finished, finishes } from '../finish/finish'
import { foundIn } from '../focus/focus'
import StateDot from '../parts/StateDot.vue'
import { counts, resultName, share } from '../parts/units'
import { useShoot, type Step } from '../shoot/store'
import { isAbout, isReference } from '../shoot/told'
import { stageOf } from '../parts/stages'

const emit = defineEmits<{ keys: [] }>()
const store = useShoot()

type Dot = InstanceType<typeof StateDot>['$props']['state']
interface Entry {
  step: Step
  name: string
  dot: Dot
  finding: string
}

const written = (what: unknown) => JSON.stringify(what)

const count = computed(() => {
  return counts([...store.lights, ...store.calibration])
})

const entries = computed<Entry[]>(() => {
  const latest = store.latest
  const stage = store.running ? (store.job?.stage ?? 'frames') : null
  const plan = store.shoot?.plan
  const aligned = latest?.report.frames.filter(
    (f) => f.used && f.rms_px && !isReference(f, latest.report),
  )
  const rms = aligned?.map((f) => f.rms_px!).sort((p, q) => p - q)
  const prepareChanged =
    latest &&
    (calibrationChanged.value ||
      written([latest.plan.prepare, latest.plan.differences]) !==
        written([plan?.prepare, plan?.differences]))
  const alignChanged = latest && written(latest.plan.align) !== written(plan?.align)
  const skylineChanged = latest && written(latest.plan.skyline) !== written(plan?.skyline)
  const combineChanged =
    latest &&
    (written({ ...latest.plan, finish: null }) !== written({ ...plan, finish: null }) ||
      calibrationChanged.value ||
      framesChanged.value)
  const finishChanged = latest && written(latest.plan.finish) !== written(plan?.finish)
  const gain = stageOf(latest?.report, 'combine')?.noise
  const merged = stageOf(latest?.report, 'merge')
  const sky = stageOf(latest?.report, 'skyline')?.sky
  const dot = (name: string, changed: unknown): Dot => {
    if (stage === name) return 'running'
    return !latest ? 'waiting' : changed ? 'changed' : 'done'
  }
  const saved = store.results.some((r) => r.exports.length)
  const all: Entry[] = [
    {
      step: 'frames',
      name: 'Frames',
      dot: stage === 'frames' ? 'running' : store.used.length > 1 ? 'done' : 'waiting',
      finding: store.stack.length ? `${store.used.length} of ${store.stack.length} in` : 'none yet',
    },
    {
      step: 'prepare',
      name: 'Prepare',
      dot: dot('prepare', prepareChanged),
      finding: stage === 'prepare' ? 'running' : treatment.value,
    },
    {
      step: 'align',
      name: 'Align',
      dot: dot('align', alignChanged || framesChanged.value),
      finding:
        stage === 'align'
          ? 'running'
          : !latest
            ? 'waiting'
            : latest.plan.align.mode === 'none'
              ? 'as they are'
              : rms?.length
                ? `${rms[Math.floor(rms.length / 2)]!.toFixed(2)} px rms`
                : 'no match',
    },
    {
      step: 'skyline',
      name: 'Skyline',
      dot: plan?.skyline.mode === 'none' ? 'waiting' : dot('skyline', skylineChanged),
      finding:
        stage === 'skyline'
          ? 'running'
          : plan?.skyline.mode === 'none'
            ? 'off'
            : skylineChanged || sky === undefined
              ? 'not yet run'
              : `${share(sky)} sky`,
    },
    {
      step: 'combine',
      name: 'Combine',
      dot: dot('combine', combineChanged),
      finding:
        stage === 'combine'
          ? 'running'
          : combineChanged
            ? 'settings changed'
            : gain
              ? `noise ÷ ${gain.gain.toFixed(1)}`
              : merged
                ? foundIn(merged)
                : latest
                  ? resultName(latest)
                  : 'waiting',
    },
    {
      step: 'finish',
      name: 'Finish',
      dot: plan && !finishes(plan) ? 'waiting' : dot('finish', finishChanged || combineChanged),
      finding:
        stage === 'finish'
          ? 'running'
          : plan && !finishes(plan)
            ? 'off'
            : finishChanged || !latest
              ? 'not yet run'
              : finished(latest.report),
    },
    {
      step: 'export',
      name: 'Export',
      dot: saved ? 'done' : 'waiting',
      finding: saved ? 'saved' : 'waiting',
    },
  ]
  return all.filter((entry) => store.rules.steps.includes(entry.step))
})

/** The treatment in a few words. */
const treatment = computed(() => {
  const prepare = store.shoot?.plan.prepare
  const balance = prepare?.white_balance
  if (store.calibration.length) return `${store.calibration.length} to calibrate`
  if (balance?.by === 'light') return `${Math.round(balance.kelvin)} K`
  return balance?.by === 'neutral' ? 'grey picked' : 'as shot'
})

/** Whether other frames are in than those that the latest result was given. */
const framesChanged = computed(() => {
  const given = store.latest?.report.frames
  if (!given) return false
  const { used } = store
  return given.length !== used.length || given.some((told, i) => !isAbout(told, used[i]!))
})

/** Whether it was calibrated with other frames than those that are in. */
const calibrationChanged = computed(() => {
  const used = store.calibration.filter((f) => !f.left_out).map((f) => f.blake3)
  const given = store.latest?.calibration
  return given !== undefined && written([...given].sort()) !== written(used.sort())
})

const ready = computed(() => store.used.length > 1 && !store.running)
</script>

<template>
  <header class="flex items-stretch border-b border-rule">
    <RouterLink
      to="/"
      class="flex w-[clamp(250px,23vw,320px)] items-center gap-3 border-r border-rule px-[18px] py-2.5"
      title="All shoots"
    >
      <img src="/mark.svg" alt="All shoots" class="w-4" />
      <span class="min-w-0">
        <b class="block truncate font-semibold">{{ store.shoot?.name }}</b>
        <small class="block truncate text-dim">{{ count }} · {{ store.rules.name }}</small>
      </span>
    </RouterLink>
    <nav
      class="flex min-w-0 flex-1 items-center gap-1 px-3 max-[1180px]:gap-0 max-[1180px]:px-1"
      aria-label="Steps"
    >
      <button
        v-for="entry in entries"
        :key="entry.step"
        class="max-w-[150px] min-w-0 flex-1 rounded-lg px-2.5 py-1.5 text-left max-[1180px]:px-1.5"
        :class="store.step === entry.step ? 'bg-raised' : 'hover:bg-sheet'"
        :aria-current="store.step === entry.step ? 'step' : undefined"
        :title="`${entry.name}: ${entry.finding}`"
        :data-test="`step-${entry.step}`"
        @click="store.step = entry.step"
      >
        <span class="flex items-center gap-2 font-semibold max-[1180px]:gap-1">
          <StateDot :state="entry.dot" /><span class="truncate">{{ entry.name }}</span>
        </span>
        <small class="num block truncate text-[11.5px] text-dim">{{ entry.finding }}</small>
      </button>
    </nav>
    <div class="flex items-center gap-1 pr-4">
      <button
        class="rounded p-2 text-dim hover:text-ink disabled:text-rule"
        :disabled="!store.history.undo"
        :title="store.history.undo ? `Undo ${store.history.undo} (Ctrl z)` : 'Nothing to undo'"
        aria-label="Undo"
        data-test="undo"
        @click="store.undo"
      >
        <Undo2 :size="17" />
      </button>
      <button
        class="rounded p-2 text-dim hover:text-ink disabled:text-rule"
        :disabled="!store.history.redo"
        :title="
          store.history.redo ? `Redo ${store.history.redo} (Ctrl Shift z)` : 'Nothing to redo'
        "
        aria-label="Redo"
        data-test="redo"
        @click="store.redo"
      >
        <Redo2 :size="17" />
      </button>
      <button
        class="rounded p-2 text-dim hover:text-ink"
        aria-label="Keys"
        title="Keys"
        @click="emit('keys')"
      >
        <CircleQuestionMark :size="17" />
      </button>
      <button
        class="button button-go ml-1 px-5"
        :disabled="!ready"
        data-test="run"
        @click="store.run"
      >
        {{ store.running ? 'Running' : 'Run' }}
      </button>
    </div>
  </header>
</template>
