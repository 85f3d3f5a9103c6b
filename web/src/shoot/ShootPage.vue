<script setup lang="ts">
import { onMounted, onUnmounted, ref, watch } from 'vue'
import AlignSheet from '../align/AlignSheet.vue'
import CombineSheet from '../combine/CombineSheet.vue'
import CourseBar from '../course/CourseBar.vue'
import ExportSheet from '../export/ExportSheet.vue'
import MergeSheet from '../focus/MergeSheet.vue'
import FinishSheet from '../finish/FinishSheet.vue'
import FrameStrip from '../frames/FrameStrip.vue'
import FramesSheet from '../frames/FramesSheet.vue'
import { useUploads } from '../frames/uploads'
import { isTypedIn } from '../parts/keys'
import PrepareSheet from '../prepare/PrepareSheet.vue'
import ProbePanel from '../probes/ProbePanel.vue'
import RunStatus from '../runs/RunStatus.vue'
import SkylineSheet from '../skyline/SkylineSheet.vue'
import SkylineStrip from '../skyline/SkylineStrip.vue'
import CompareView from '../viewer/CompareView.vue'
import KeyList from './KeyList.vue'
import { useShoot } from './store'

const props = defineProps<{ id: number }>()
const store = useShoot()
const uploads = useUploads()
const keysShown = ref(false)
const picture = ref<InstanceType<typeof CompareView>>()
const dragging = ref(0)

watch(() => props.id, store.open, { immediate: true })
watch(
  () => store.shoot?.name,
  (name) => name && (document.title = `${name} · Jade Stack`),
)

function key(event: KeyboardEvent) {
  if (isTypedIn(event) || event.altKey) return
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault()
    void (event.shiftKey ? store.redo() : store.undo())
  } else if (event.ctrlKey || event.metaKey) {
    return
  } else if (event.key === 'r') {
    void store.run()
  } else if (event.key === '?') {
    keysShown.value = true
  }
}

function drop(event: DragEvent) {
  dragging.value = 0
  const files = [...(event.dataTransfer?.files ?? [])]
  if (files.length && store.shoot) void uploads.add(store.shoot.id, files)
}

onMounted(() => window.addEventListener('keydown', key))
onUnmounted(() => {
  window.removeEventListener('keydown', key)
  store.close()
})
</script>

<template>
  <div v-if="store.missing" class="flex h-full flex-col items-center justify-center gap-4">
    <p>{{ store.missing }}</p>
    <RouterLink to="/" class="button">Back to the shoots</RouterLink>
  </div>
  <div
    v-else-if="store.shoot"
    class="grid h-full overflow-hidden"
    style="
      grid-template: auto minmax(0, 1fr) auto / clamp(250px, 23vw, 320px) minmax(0, 1fr) clamp(
          210px,
          18.5vw,
          280px
        );
      grid-template-areas: 'course course course' 'step view probes' 'step frames probes';
    "
    @dragenter.prevent="dragging++"
    @dragleave="dragging--"
    @dragover.prevent
    @drop.prevent="drop"
  >
    <CourseBar style="grid-area: course" @keys="keysShown = true" />
    <section
      class="flex min-h-0 flex-col border-r border-rule"
      style="grid-area: step"
      aria-label="Step"
    >
      <!-- What is hidden for the eye lies within what scrolls. -->
      <div class="relative min-h-0 flex-1 overflow-auto px-[18px] pt-4">
        <FramesSheet v-if="store.step === 'frames'" />
        <PrepareSheet v-else-if="store.step === 'prepare'" />
        <AlignSheet v-else-if="store.step === 'align'" />
        <SkylineSheet v-else-if="store.step === 'skyline'" />
        <MergeSheet
          v-else-if="store.step === 'combine' && store.rules.source === 'merge'"
          @look="(x, y) => picture?.lookAt(x, y)"
        />
        <CombineSheet v-else-if="store.step === 'combine'" />
        <FinishSheet v-else-if="store.step === 'finish'" />
        <ExportSheet v-else />
      </div>
      <RunStatus />
    </section>
    <CompareView ref="picture" style="grid-area: view" />
    <ProbePanel style="grid-area: probes" />
    <SkylineStrip
      v-if="store.step === 'skyline'"
      class="min-w-0"
      style="grid-area: frames"
      @look="(x, y) => picture?.lookAt(x, y)"
    />
    <FrameStrip v-else style="grid-area: frames" />
    <div
      v-if="dragging > 0"
      class="pointer-events-none fixed inset-3 z-30 flex items-center justify-center rounded-xl border-2 border-dashed border-jade bg-black/60 text-[17px]"
    >
      Drop the frames to add them to {{ store.shoot.name }}
    </div>
    <KeyList :open="keysShown" @close="keysShown = false" />
  </div>
</template>
