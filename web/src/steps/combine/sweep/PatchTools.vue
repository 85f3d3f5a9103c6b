<script setup lang="ts">
// Paints over a merged sweep: with a frame's own pixels, or with the other way of merging.
import { Brush, Layers, Waves } from '@lucide/vue'
import { nextTick, onUnmounted, useTemplateRef, watch } from 'vue'
import BrushSliders from '../../../viewer/paint/BrushSliders.vue'
import StrokesBar from '../../../viewer/paint/StrokesBar.vue'
import { useBrushKeys } from '../../../viewer/paint/commands'
import ToolButton from '../../../viewer/paint/ToolButton.vue'
import { defineCommands, keyName, keyOf, onCommand } from '../../../app/commands'
import { whole } from '../../../domain/units'
import { useView } from '../../../state/view'
import { usePatches } from './patches'

const patches = usePatches()
const view = useView()
/** Frames that are offered at once. */
const OFFERED = 4

const tools = [
  {
    value: 'frame' as const,
    text: 'From a frame',
    key: 'q',
    icon: Layers,
    hint: 'Paints the pixels of one frame, the sharpest under the pointer first',
  },
  {
    value: 'fine' as const,
    text: 'Fine hair',
    key: 'w',
    icon: Brush,
    hint: 'Paints what the way for fine hair makes of the place',
  },
  {
    value: 'smooth' as const,
    text: 'Smooth surface',
    key: 'e',
    icon: Waves,
    hint: 'Paints what the way for smooth surfaces makes of the place',
  },
]

function pick(tool: (typeof tools)[number]['value']) {
  patches.tool = patches.tool === tool ? null : tool
  patches.kept = null
  if (!patches.tool) return
  // What is painted on is the result alone.
  view.mode = 'one'
  view.side = 'b'
}

defineCommands('Merged sweep', [
  ...tools.map(({ value, text, key }) => ({ id: `sweep.${value}`, text, key })),
  { id: 'sweep.next', text: 'Paint the next frame', key: 'n' },
  { id: 'sweep.last', text: 'Paint the frame before', key: 'Shift+n' },
])
for (const { value } of tools) onCommand(`sweep.${value}`, () => pick(value))
onCommand('sweep.next', () => patches.next(1))
onCommand('sweep.last', () => patches.next(-1))
useBrushKeys(patches)

// The brush and the frames it paints from are seen whole, wherever the column was scrolled to.
const section = useTemplateRef('section')
watch(
  () => [patches.tool, patches.frames.length > 0],
  async () => {
    await nextTick()
    if (patches.tool) section.value?.scrollIntoView({ block: 'nearest' })
  },
)

onUnmounted(() => (patches.tool = null))
</script>

<template>
  <section ref="section" class="section mt-3" data-test="patch-tools">
    <h3>Paint over it</h3>
    <div class="grid grid-cols-3 gap-1" role="group" aria-label="Paint">
      <ToolButton
        v-for="one in tools"
        :key="one.value"
        :text="one.text"
        :hint="one.hint"
        :keys="keyOf(`sweep.${one.value}`)"
        :icon="one.icon"
        :pressed="patches.tool === one.value"
        upright
        :data-test="`patch-${one.value}`"
        @click="pick(one.value)"
      />
    </div>
    <div v-if="patches.tool === 'frame'" class="mt-2" aria-live="polite">
      <p v-if="!patches.frames.length" class="text-dim">
        Rest the pointer on a place: the frames that have it sharp are listed here.
      </p>
      <template v-else>
        <ul data-test="patch-frames">
          <li v-for="one in patches.frames.slice(0, OFFERED)" :key="one.blake3">
            <button
              class="grid w-full grid-cols-[1fr_4rem_2.75rem] items-center gap-2 rounded px-1.5 py-0.5 text-left"
              :class="one.blake3 === patches.frame?.blake3 ? 'bg-jade-deep text-ink' : 'text-dim'"
              :aria-pressed="one.blake3 === patches.frame?.blake3"
              @click="patches.kept = one.blake3"
            >
              <span class="truncate">{{ one.file }}</span>
              <span class="h-1.5 rounded-full bg-well"
                ><span
                  class="block h-full rounded-full bg-jade"
                  :style="{ width: `${one.sharp * 100}%` }"
              /></span>
              <span class="num text-right">{{ whole(one.sharp) }}</span>
            </button>
          </li>
        </ul>
        <p class="mt-1 text-dim">
          <template v-if="patches.kept">
            Kept wherever you paint.
            <button class="underline hover:text-ink" @click="patches.kept = null">
              Follow the pointer
            </button>
          </template>
          <template v-else>
            Sharpness under the pointer; {{ keyName(keyOf('sweep.next')) }} takes the next frame.
          </template>
        </p>
      </template>
    </div>
    <BrushSliders
      v-if="patches.tool"
      v-model:radius="patches.radius"
      v-model:soft="patches.soft"
      softens
    />
    <StrokesBar
      :count="patches.patches.length"
      @back="patches.takeBack()"
      @clear="patches.clear()"
    />
    <p v-if="patches.problem" class="mt-1 text-rose">{{ patches.problem }}</p>
    <p v-if="patches.unseen" class="mt-1 text-amber" data-test="patch-unseen">
      The sweep was not merged that way yet: press Run to see what you painted.
    </p>
  </section>
</template>
