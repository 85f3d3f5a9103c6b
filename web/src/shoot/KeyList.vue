<script setup lang="ts">
import Sheet from '../parts/Sheet.vue'

defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()

const keys: [string, string][] = [
  ['r', 'run the plan'],
  ['o · s · d · b · v', 'view: one, split, beside, blink, difference'],
  ['x', 'the other side, where one is shown'],
  ['f · 1 · 3', 'zoom: fit, one to one, three to one'],
  ['p', 'pin a probe under the pointer'],
  ['← →', 'the frame before, the frame after'],
  ['Shift, Ctrl', 'with a click: choose frames from here to there, or one more'],
  ['l', 'leave the chosen frames out, or take them in'],
  ['m', 'make the chosen frame the reference frame'],
  ['q · w', 'skyline: sky stroke, ground stroke'],
  ['e · t', 'skyline: sky brush, ground brush'],
  ['h', 'skyline: hatching on or off'],
  ['q · w · e', 'merged sweep: paint a frame, fine hair, a smooth surface'],
  ['n', 'merged sweep: paint the next frame; with Shift the one before'],
  [', · .', 'painting: smaller, larger brush; hold Space to move the picture'],
  ['Ctrl z', 'undo; with Shift again'],
  ['?', 'this list'],
]
</script>

<template>
  <Sheet :open="open" title="Keys" @close="emit('close')">
    <dl class="grid grid-cols-[auto_1fr] gap-x-5 gap-y-1.5">
      <template v-for="[key, what] in keys" :key="key">
        <dt class="num text-jade">{{ key }}</dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
    <div class="mt-4 text-right"><button class="button" @click="emit('close')">Close</button></div>
  </Sheet>
</template>
