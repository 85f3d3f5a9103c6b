<script setup lang="ts">
// Frames come in, are sorted, and what is spoiled is left out.
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'
import AddFrames from './AddFrames.vue'
import ChosenFrames from './ChosenFrames.vue'
import FrameChecks from './FrameChecks.vue'
import FrameDoubts from './FrameDoubts.vue'
import FrameFacts from './FrameFacts.vue'
import ProposedSets from './ProposedSets.vue'
import SetList from './SetList.vue'
import UnreadableFiles from './UnreadableFiles.vue'
import UploadList from './UploadList.vue'
import WatchedFolder from './WatchedFolder.vue'

const store = useShoot()
const waiting = computed(
  () => store.shoot?.frames.filter((f) => !f.problem && !f.measures).length ?? 0,
)
</script>

<template>
  <h2 class="text-title font-semibold">Frames</h2>
  <p class="mb-3 text-dim">
    {{
      store.lights.length
        ? 'Leave out what is spoiled; the rest is stacked.'
        : 'Add the frames of one scene to begin.'
    }}
  </p>
  <AddFrames />
  <UploadList />
  <WatchedFolder />
  <p v-if="waiting" class="mb-2 text-small text-faint" data-test="waiting">
    Measuring {{ waiting }} frame{{ waiting > 1 ? 's' : '' }} …
  </p>
  <ChosenFrames />
  <ProposedSets />
  <FrameDoubts />
  <FrameChecks />
  <SetList />
  <UnreadableFiles />
  <FrameFacts />
</template>
