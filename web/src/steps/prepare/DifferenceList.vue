<script setup lang="ts">
// Frames with settings of their own, which are copied to others or reset to the shared ones.
import { computed, ref } from 'vue'
import type { Frame, PrepareChange } from '../../api/types'
import { useShoot } from '../../state/shoot'
import { asOthers, setPrepare, toldChange } from '../../domain/differences'

const store = useShoot()
/** Settings that are not handed on. */
const withheld = ref<string[]>([])

const frames = computed(() => {
  const all = store.shoot?.frames ?? []
  return (store.shoot?.plan.differences ?? []).flatMap((own) => {
    const frame = all.find((f) => f.blake3 === own.blake3)
    return frame ? [{ frame, change: own.change, told: toldChange(own.change) }] : []
  })
})

/** Chosen frames that do not have the same settings for themselves as one. */
function others(change: PrepareChange): Frame[] {
  const all = store.shoot?.frames ?? []
  const same = new Set(
    frames.value
      .filter((one) => JSON.stringify(one.change) === JSON.stringify(change))
      .map((one) => one.frame.id),
  )
  return all.filter((f) => store.chosen.includes(f.id) && !same.has(f.id) && f.role === 'light')
}

function toggle(name: string) {
  withheld.value = withheld.value.includes(name)
    ? withheld.value.filter((one) => one !== name)
    : [...withheld.value, name]
}

function handOn(change: PrepareChange) {
  const handed = Object.fromEntries(
    Object.entries(change).filter(([name]) => !withheld.value.includes(name)),
  ) as PrepareChange
  const to = others(change).map((f) => f.blake3)
  void store.setPlan((plan) => setPrepare(plan, to, handed))
}
</script>

<template>
  <div v-if="frames.length" class="section" data-test="differences">
    <h3>Per-frame settings</h3>
    <ul class="flex max-h-60 flex-col gap-2.5 overflow-auto">
      <li v-for="{ frame, change, told } in frames" :key="frame.id">
        <div class="flex items-baseline gap-2">
          <b class="num min-w-0 truncate font-medium">{{ frame.name }}</b>
          <button
            class="ml-auto shrink-0 text-small text-dim underline decoration-rule hover:text-ink"
            :aria-label="`Reset ${frame.name} to shared settings`"
            @click="store.setPlan((plan) => asOthers(plan, frame.blake3))"
          >
            Reset to shared
          </button>
        </div>
        <div class="mt-1 flex flex-wrap gap-1">
          <button
            v-for="one in told"
            :key="one.name"
            class="rounded border px-1.5 py-0.5 text-small"
            :class="
              withheld.includes(one.name)
                ? 'border-edge text-faint line-through'
                : 'border-jade bg-jade-deep'
            "
            :aria-pressed="!withheld.includes(one.name)"
            title="Whether it is copied"
            @click="toggle(one.name)"
          >
            {{ one.text }}
          </button>
        </div>
        <button
          v-if="others(change).length"
          class="button mt-1.5 w-full"
          :data-test="`hand-on-${frame.name}`"
          @click="handOn(change)"
        >
          Copy to
          {{
            others(change).length === 1
              ? others(change)[0]!.name
              : `${others(change).length} chosen frames`
          }}
        </button>
      </li>
    </ul>
  </div>
</template>
