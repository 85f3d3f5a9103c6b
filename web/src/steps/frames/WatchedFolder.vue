<script setup lang="ts">
// The folder from which frames are added as they are written.
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const watched = computed(() => store.shoot?.watched)
const folderName = computed(() => watched.value?.path.split('/').at(-1))
</script>

<template>
  <div v-if="watched" class="section" data-test="watched">
    <div class="flex items-start gap-2">
      <p class="min-w-0 flex-1 text-dim">
        {{ watched.there ? 'Watching' : 'Waiting for' }}
        <b class="num font-medium break-all text-ink" :title="watched.path">{{ folderName }}</b>:
        {{
          watched.there
            ? 'frames appear as they are written.'
            : 'the folder is not there. What was added stays.'
        }}
      </p>
      <button class="button shrink-0" data-test="unwatch" @click="store.unwatch()">Stop</button>
    </div>
  </div>
</template>
