<script setup lang="ts">
// Takes files that are dropped anywhere on the page.
import { ref } from 'vue'
import { useShoot } from '../state/shoot'
import { useUploads } from '../steps/frames/uploads'

const store = useShoot()
const uploads = useUploads()
/** Elements that files are dragged over, one within the other. */
const over = ref(0)

function drop(event: DragEvent) {
  over.value = 0
  const files = [...(event.dataTransfer?.files ?? [])]
  if (files.length && store.shoot) void uploads.add(store.shoot.id, files)
}
</script>

<template>
  <div @dragenter.prevent="over++" @dragleave="over--" @dragover.prevent @drop.prevent="drop">
    <slot />
    <div
      v-if="over > 0"
      class="pointer-events-none fixed inset-3 z-30 flex items-center justify-center rounded-xl border-2 border-dashed border-jade bg-black/60 text-head"
    >
      Drop the frames to add them to {{ store.shoot?.name }}
    </div>
  </div>
</template>
