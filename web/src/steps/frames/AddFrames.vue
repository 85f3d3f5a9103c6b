<script setup lang="ts">
// Files and folders are added.
import { FolderOpen, Upload } from '@lucide/vue'
import { ref } from 'vue'
import { useShoot } from '../../state/shoot'
import FolderSheet from './FolderSheet.vue'
import { useUploads } from './uploads'

const store = useShoot()
const uploads = useUploads()
const browsing = ref(false)
/** What a file picker offers; raw files are told by their content, whatever they are called. */
const endings =
  '.dng,.cr2,.cr3,.nef,.nrw,.arw,.orf,.rw2,.raf,.pef,.srw,.3fr,.iiq,.tif,.tiff,.png,.jpg,.jpeg'
const input = ref<HTMLInputElement>()

function picked() {
  const files = [...(input.value?.files ?? [])]
  if (files.length) void uploads.add(store.shoot!.id, files)
  input.value!.value = ''
}
</script>

<template>
  <div class="grid grid-cols-2 gap-1.5 pb-3">
    <button class="button flex items-center justify-center gap-1.5" @click="input?.click()">
      <Upload :size="15" /> Add files
    </button>
    <button
      class="button flex items-center justify-center gap-1.5"
      data-test="add-folder"
      @click="browsing = true"
    >
      <FolderOpen :size="15" /> Add folder
    </button>
    <input
      ref="input"
      type="file"
      multiple
      :accept="endings"
      class="sr-only"
      tabindex="-1"
      aria-label="Frames to add"
      data-test="files"
      @change="picked"
    />
    <p class="col-span-2 text-small text-faint">
      Camera raw, TIFF, PNG or JPEG. Drop files anywhere on this page. Frames from a folder stay
      where they are.
    </p>
  </div>
  <FolderSheet :open="browsing" @close="browsing = false" />
</template>
