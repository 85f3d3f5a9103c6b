<script setup lang="ts">
// The sets of the shoot: which one is stacked, what they are called, who is in them.
import { Pencil } from '@lucide/vue'
import { computed, nextTick, ref } from 'vue'
import type { FrameSet } from '../../api/types'
import { exposure, roleNames } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import type { Group } from '../../domain/groups'

const store = useShoot()
const naming = ref<number | null>(null)
const field = ref<HTMLInputElement[]>()
const groups = computed(() => (store.shoot?.sets.length ? store.groups : []))

/** What the frames of a group have in common. */
function told(group: Group): string {
  const facts = group.frames[0]?.facts
  const parts = [
    group.role === 'light' ? '' : roleNames[group.role],
    facts?.exposure_s && exposure(facts.exposure_s),
    facts?.iso && `ISO ${facts.iso}`,
  ]
  return parts.filter(Boolean).join(' · ')
}

async function rename(set: FrameSet) {
  naming.value = set.id
  await nextTick()
  field.value?.[0]?.select()
}

function named(set: FrameSet, event: globalThis.Event) {
  const name = (event.target as HTMLInputElement).value.trim()
  if (naming.value === set.id && name && name !== set.name) void store.nameSet(set, name)
  naming.value = null
}
</script>

<template>
  <div v-if="groups.length" class="section" data-test="sets">
    <h3>Sets</h3>
    <ul class="flex flex-col gap-2">
      <li v-for="group in groups" :key="group.key" :data-set="group.name">
        <div class="flex items-center gap-2">
          <input
            v-if="group.set && naming === group.set.id"
            ref="field"
            class="field py-0.5"
            :value="group.name"
            :aria-label="`Name of ${group.name}`"
            @keydown.enter="named(group.set, $event)"
            @keydown.esc="naming = null"
            @blur="named(group.set, $event)"
          />
          <template v-else>
            <button
              class="min-w-0 truncate text-left font-medium"
              :class="!group.set && 'text-dim'"
              title="Choose its frames"
              @click="store.chosen = group.frames.map((f) => f.id)"
            >
              {{ group.name }}
            </button>
            <button
              v-if="group.set"
              class="text-faint hover:text-ink"
              :aria-label="`Rename ${group.name}`"
              @click="rename(group.set)"
            >
              <Pencil :size="12" />
            </button>
            <span class="num ml-auto text-dim">{{ group.frames.length }}</span>
          </template>
        </div>
        <div class="flex items-center gap-2 text-small text-dim">
          <span class="num">{{ told(group) }}</span>
          <span v-if="group.stacked" class="ml-auto text-jade">stacked</span>
          <button
            v-else-if="group.set && group.role === 'light'"
            class="ml-auto text-dim underline decoration-rule hover:text-ink"
            @click="store.stackSet(group.set)"
          >
            stack this
          </button>
        </div>
      </li>
    </ul>
  </div>
</template>
