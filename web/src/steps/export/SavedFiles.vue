<script setup lang="ts">
// Files that were saved of the result on show.
import { computed } from 'vue'
import { bytes } from '../../domain/units'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const files = computed(() => store.shown?.exports ?? [])
</script>

<template>
  <div v-if="files.length" class="section">
    <h3>Saved</h3>
    <ul class="flex flex-col gap-2.5" data-test="saved">
      <li v-for="file in files" :key="file.id">
        <p class="num break-words">{{ file.file }}</p>
        <p class="flex gap-3 text-dim">
          <a class="text-jade underline" :href="`/api/exports/${file.id}/file`" download>picture</a>
          <a class="text-jade underline" :href="`/api/exports/${file.id}/plan`" download>plan</a>
          <span class="num ml-auto">{{ bytes(file.bytes) }}</span>
        </p>
      </li>
    </ul>
    <p class="mt-3 text-small break-words text-faint">
      On the server’s machine in <span class="num">{{ files[0]!.folder }}</span>
    </p>
  </div>
</template>
