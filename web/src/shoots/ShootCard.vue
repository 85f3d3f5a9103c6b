<script setup lang="ts">
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { Ellipsis } from '@lucide/vue'
import { computed, nextTick, ref } from 'vue'
import { thumbnail } from '../api/client'
import type { ShootCard } from '../api/types'
import { rulesOf } from '../api/kinds'
import { ago } from '../domain/units'
import StateDot from '../ui/StateDot.vue'

const props = defineProps<{ card: ShootCard }>()
const emit = defineEmits<{ rename: [name: string]; remove: [] }>()

const editing = ref(false)
const name = ref('')
const field = ref<HTMLInputElement>()

/** The picture that could not be fetched, in its version: its files may have been deleted. */
const missing = ref<string>()
const picture = computed(() => `${props.card.picture} ${props.card.version}`)

const frames = computed(() => {
  const { lights, darks } = props.card
  if (lights + darks === 0) return 'no frames'
  return darks ? `${lights} light · ${darks} dark` : `${lights} light`
})

const states = {
  empty: { dot: 'waiting', text: 'empty' },
  gathered: { dot: 'waiting', text: 'frames gathered' },
  running: { dot: 'running', text: 'running' },
  stopped: { dot: 'blocked', text: 'last run stopped' },
  done: { dot: 'done', text: 'result ready' },
} as const
const state = computed(() => states[props.card.state])

async function edit() {
  name.value = props.card.name
  editing.value = true
  await nextTick()
  field.value?.select()
}

function finish(save: boolean) {
  if (!editing.value) return
  editing.value = false
  const wanted = name.value.trim()
  if (save && wanted && wanted !== props.card.name) emit('rename', wanted)
}
</script>

<template>
  <li class="overflow-hidden rounded-xl border border-rule bg-sheet" data-test="shoot">
    <RouterLink
      :to="`/shoots/${card.id}`"
      class="block aspect-[3/2] bg-well"
      :aria-label="`Open ${card.name}`"
    >
      <img
        v-if="card.picture && picture !== missing"
        :src="thumbnail(card.picture, card.version)"
        :alt="`Picture of ${card.name}`"
        class="h-full w-full object-cover"
        @error="missing = picture"
      />
      <span v-else class="flex h-full items-center justify-center text-faint">
        {{ card.picture ? 'picture not kept; run again' : 'no picture yet' }}
      </span>
    </RouterLink>
    <div class="px-4 pt-3 pb-3.5">
      <div class="flex items-center gap-2">
        <input
          v-if="editing"
          ref="field"
          v-model="name"
          class="field py-1"
          aria-label="Name"
          maxlength="120"
          @keydown.enter="finish(true)"
          @keydown.esc="finish(false)"
          @blur="finish(true)"
        />
        <RouterLink v-else :to="`/shoots/${card.id}`" class="truncate text-title font-semibold">
          {{ card.name }}
        </RouterLink>
        <Menu as="div" class="relative ml-auto">
          <MenuButton
            class="rounded p-1 text-dim hover:text-ink"
            :aria-label="`More for ${card.name}`"
          >
            <Ellipsis :size="18" />
          </MenuButton>
          <MenuItems
            class="absolute right-0 bottom-8 z-10 w-32 rounded-lg border border-rule bg-raised p-1 shadow-lg shadow-black/50"
          >
            <MenuItem v-slot="{ active }">
              <button
                class="w-full rounded px-2.5 py-1.5 text-left"
                :class="active && 'bg-rule'"
                @click="edit"
              >
                Rename
              </button>
            </MenuItem>
            <MenuItem v-slot="{ active }">
              <button
                class="w-full rounded px-2.5 py-1.5 text-left"
                :class="active && 'bg-rule'"
                @click="emit('remove')"
              >
                Delete
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
      </div>
      <p class="text-dim">{{ rulesOf(card.kind).name }} · {{ frames }}</p>
      <p class="mt-1.5 flex items-center gap-2 text-dim">
        <StateDot :state="state.dot" />
        <span
          >{{ state.text
          }}<template v-if="card.results > 1">, {{ card.results }} kept</template></span
        >
        <span class="ml-auto">{{ ago(card.touched, Date.now()) }}</span>
      </p>
    </div>
  </li>
</template>
