<script setup lang="ts">
// The bars over the picture: which way two pictures are compared, how bright and how large they are shown.
import { computed } from 'vue'
import { Crosshair, Maximize, Minimize } from '@lucide/vue'
import { keyName, keyOf, titleOf } from '../app/commands'
import { useLayout } from '../state/layout'
import { modes, useView, type Mode } from '../state/view'
import FoldButton from '../ui/FoldButton.vue'
import NumberSlider from '../ui/NumberSlider.vue'

defineProps<{
  /** The way that is on show. */
  mode: Mode
  /** Pixels of the screen for each pixel of the picture. */
  scale: number
}>()
defineEmits<{ fit: []; zoom: [scale: number] }>()

const view = useView()
const layout = useLayout()
const both = computed(() => view.infoA !== null && view.infoB !== null)
</script>

<template>
  <div
    class="pointer-events-none absolute inset-x-3 bottom-3 z-20 flex flex-wrap items-end justify-between gap-1.5 *:pointer-events-auto"
  >
    <div class="flex gap-0.5 rounded-lg bg-black/80 p-0.75" role="group" aria-label="View">
      <button
        v-for="one in modes"
        :key="one.value"
        class="rounded-md px-2 py-1 disabled:text-faint"
        :class="mode === one.value ? 'bg-[#363633] text-ink' : 'text-dim'"
        :disabled="one.value !== 'one' && !both"
        :aria-pressed="mode === one.value"
        :title="titleOf(`view.${one.value}`)"
        :data-test="`mode-${one.value}`"
        @click="view.mode = one.value"
      >
        {{ one.text }}
      </button>
      <template v-if="mode === 'one' && both">
        <button
          v-for="side in ['a', 'b'] as const"
          :key="side"
          class="rounded-md px-2 py-1 uppercase"
          :class="view.side === side ? 'text-jade' : 'text-dim'"
          :aria-pressed="view.side === side"
          @click="view.side = side"
        >
          {{ side }}
        </button>
      </template>
    </div>
    <div class="ml-auto flex items-center gap-0.5 rounded-lg bg-black/80 p-0.75">
      <div
        class="flex items-center gap-1.5 px-2 text-dim"
        title="View brightness; the files stay as they are"
      >
        <span :class="view.colours && 'text-amber'">{{
          view.colours ? 'Colours × 4' : 'View'
        }}</span>
        <NumberSlider
          label="View brightness"
          unit=" EV"
          flat
          :min="-1"
          :max="5"
          :step="0.5"
          :digits="1"
          :value="view.stops"
          test="view-brightness"
          @input="view.stops = $event"
          @change="view.stops = $event"
        />
      </div>
      <button
        class="rounded-md px-2 py-1 text-dim hover:text-ink"
        :title="titleOf('view.fit')"
        data-test="zoom-fit"
        @click="$emit('fit')"
      >
        Fit
      </button>
      <button
        class="num rounded-md px-2 py-1 text-dim hover:text-ink"
        :title="titleOf('view.1')"
        data-test="zoom-1"
        @click="$emit('zoom', 1)"
      >
        1:1
      </button>
      <button
        class="num rounded-md px-2 py-1 text-dim hover:text-ink"
        :title="titleOf('view.3')"
        data-test="zoom-3"
        @click="$emit('zoom', 3)"
      >
        3:1
      </button>
      <span class="num w-12 text-center text-dim" data-test="scale"
        >{{ Math.round(scale * 100) }} %</span
      >
      <button
        class="rounded-md px-1.5 py-1 hover:text-ink"
        :class="view.pinning ? 'text-jade' : 'text-dim'"
        aria-label="Pin a probe"
        :title="`Pin a probe; ${keyName(keyOf('view.pin'))} pins one under the pointer`"
        :aria-pressed="view.pinning"
        :disabled="!view.infoA && !view.infoB"
        data-test="pin"
        @click="view.pinning = !view.pinning"
      >
        <Crosshair :size="15" />
      </button>
      <button
        class="rounded-md px-1.5 py-1 text-dim hover:text-ink"
        :aria-label="layout.alone ? 'Everything again' : 'The picture alone'"
        :title="titleOf('alone', layout.alone ? 'Everything again' : 'The picture alone')"
        data-test="alone"
        @click="layout.setAlone(!layout.alone)"
      >
        <component :is="layout.alone ? Minimize : Maximize" :size="15" />
      </button>
      <FoldButton
        v-if="!layout.strip && !layout.alone"
        panel="the frames"
        :open="false"
        edge="bottom"
        data-test="open-strip"
        @toggle="layout.toggle('strip')"
      />
      <FoldButton
        v-if="!layout.probes && !layout.alone"
        panel="the probes"
        :open="false"
        edge="right"
        data-test="open-probes"
        @toggle="layout.toggle('probes')"
      />
    </div>
  </div>
</template>
