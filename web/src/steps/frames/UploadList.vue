<script setup lang="ts">
// Files on their way to the server.
import ProgressBar from '../../ui/ProgressBar.vue'
import { useUploads } from './uploads'

const uploads = useUploads()
</script>

<template>
  <div v-if="uploads.uploads.length" class="section" data-test="uploads">
    <h3 class="flex items-baseline gap-2">
      On their way
      <button
        v-if="uploads.uploads.filter((one) => !one.problem).length > 1"
        class="ml-auto text-small font-normal text-jade"
        data-test="stop-uploads"
        @click="uploads.stopAll()"
      >
        Stop all
      </button>
    </h3>
    <ul class="flex flex-col gap-2">
      <li v-for="one in uploads.uploads" :key="one.id">
        <div class="flex gap-2">
          <span class="min-w-0 flex-1 truncate">{{ one.name }}</span>
          <span class="num text-dim">{{ Math.round(one.share * 100) }} %</span>
          <button
            class="text-dim"
            :aria-label="`Stop ${one.name}`"
            @click="one.problem ? uploads.dismiss(one.id) : one.stop()"
          >
            ×
          </button>
        </div>
        <p v-if="one.problem" class="text-rose">{{ one.problem }}</p>
        <ProgressBar v-else class="mt-0.5" :label="one.name" :share="one.share" />
      </li>
    </ul>
  </div>
</template>
