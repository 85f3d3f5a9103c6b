<script setup lang="ts">
// Corrects the skyline by strokes and brushes, and says how it is shown.
import { Brush, Eraser, Mountain, Sparkles } from '@lucide/vue'
import type { Paint } from '../../api/types'
import { defineCommands, keyOf, onCommand } from '../../app/commands'
import { useView } from '../../state/view'
import Segmented from '../../ui/Segmented.vue'
import BrushSliders from '../../viewer/paint/BrushSliders.vue'
import { useBrushKeys } from '../../viewer/paint/commands'
import StrokesBar from '../../viewer/paint/StrokesBar.vue'
import ToolButton from '../../viewer/paint/ToolButton.vue'
import { isBrush, useSkyline, type Laid } from './skyline'

const view = useView()
const skyline = useSkyline()

const tools: { paint: Paint; text: string; key: string; icon: unknown; hint: string }[] = [
  {
    paint: 'sky-stroke',
    text: 'Mark sky',
    key: 'q',
    icon: Sparkles,
    hint: 'A dab says: all of this is sky',
  },
  {
    paint: 'ground-stroke',
    text: 'Mark ground',
    key: 'w',
    icon: Mountain,
    hint: 'A dab says: all of this is ground',
  },
  {
    paint: 'sky-brush',
    text: 'Paint sky',
    key: 'e',
    icon: Eraser,
    hint: 'Paints sky, pixel by pixel',
  },
  {
    paint: 'ground-brush',
    text: 'Paint ground',
    key: 't',
    icon: Brush,
    hint: 'Paints ground, pixel by pixel',
  },
]
const seenAs: { value: Laid; text: string; hint: string }[] = [
  { value: 'hatching', text: 'Hatched', hint: 'Ground hatched, the margin dotted' },
  { value: 'mask', text: 'Mask', hint: 'The mask alone: white is sky' },
  { value: 'sky', text: 'Sky', hint: 'The sky alone' },
  { value: 'ground', text: 'Ground', hint: 'The ground alone' },
  { value: 'doubt', text: 'Unsure', hint: 'Where it is not sure' },
  { value: 'none', text: 'Off', hint: 'The picture alone' },
]

function pick(paint: Paint) {
  skyline.tool = skyline.tool === paint ? null : paint
  if (skyline.tool && view.mode === 'difference') view.mode = 'one'
}

defineCommands('Skyline', [
  ...tools.map(({ paint, text, key }) => ({ id: `skyline.${paint}`, text, key })),
  { id: 'skyline.hatching', text: 'Hatching on or off', key: 'h' },
])
for (const { paint } of tools) onCommand(`skyline.${paint}`, () => pick(paint))
onCommand('skyline.hatching', () => {
  skyline.laid = skyline.laid === 'none' ? 'hatching' : 'none'
})
useBrushKeys(skyline)
</script>

<template>
  <section class="section">
    <h3>Correct it</h3>
    <div class="grid grid-cols-2 gap-1" role="group" aria-label="Paint">
      <ToolButton
        v-for="one in tools"
        :key="one.paint"
        :text="one.text"
        :hint="one.hint"
        :keys="keyOf(`skyline.${one.paint}`)"
        :icon="one.icon"
        :pressed="skyline.tool === one.paint"
        :disabled="!skyline.info"
        :data-test="one.paint"
        @click="pick(one.paint)"
      />
    </div>
    <BrushSliders
      v-model:radius="skyline.radius"
      v-model:soft="skyline.soft"
      :softens="skyline.tool !== null && isBrush(skyline.tool)"
    />
    <StrokesBar
      :count="skyline.strokes.length"
      @back="skyline.takeBack()"
      @clear="skyline.clear()"
    />
  </section>

  <section class="section">
    <h3>Show</h3>
    <Segmented v-model="skyline.laid" label="Seen" :columns="3" :options="seenAs" />
  </section>
</template>
