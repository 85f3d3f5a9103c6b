<script setup lang="ts">
import { CornerLeftUp, Folder as FolderIcon } from '@lucide/vue'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../api/client'
import { queries } from '../../api/queries'
import type { Role } from '../../api/types'
import Segmented from '../../ui/Segmented.vue'
import Sheet from '../../ui/Sheet.vue'
import Toggle from '../../ui/Toggle.vue'
import { useShoot } from '../../state/shoot'
import { useUploads } from './uploads'

/** What the frames of a folder are for, by its name. */
function guess(name: string): Role {
  const word = name.match(/dark|flat|bias/i)?.[0].toLowerCase()
  return (word as Role | undefined) ?? 'light'
}

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const store = useShoot()
const uploads = useUploads()
const path = ref('')
const refused = ref('')
const busy = ref(false)
const role = ref<Role>('light')
const watching = ref(false)

const { data: folder, error } = useQuery(
  {
    queryKey: computed(() => ['folder', path.value] as const),
    queryFn: ({ queryKey }) => api.folder(queryKey[1]),
    enabled: computed(() => props.open),
    // What lies in a folder changes without anybody telling.
    staleTime: 0,
    placeholderData: keepPreviousData,
    shallow: true,
  },
  queries,
)
const problem = computed(() => refused.value || (error.value ? sentence(error.value) : ''))

watch(folder, (found) => {
  refused.value = ''
  role.value = guess(found?.name ?? '')
  watching.value = false
})
watch(
  () => props.open,
  (open) => open && look(''),
)

const look = (to: string) => (path.value = to)

async function add() {
  busy.value = true
  try {
    uploads.tell(
      await api.addFolder(store.shoot!.id, folder.value!.path, role.value, watching.value),
    )
    await store.load(store.shoot!.id)
    emit('close')
  } catch (error) {
    refused.value = sentence(error)
  }
  busy.value = false
}
</script>

<template>
  <Sheet :open="open" title="Add a folder on the server's machine" wide @close="emit('close')">
    <p v-if="problem" class="mb-2 text-rose">{{ problem }}</p>
    <template v-if="folder">
      <p class="num mb-2 truncate text-dim" :title="folder.path">
        {{ folder.path || 'Opened folders' }}
      </p>
      <ul class="h-60 overflow-auto rounded-lg border border-edge bg-well p-1" data-test="folders">
        <li v-if="folder.above !== null">
          <button
            class="flex w-full items-center gap-2 rounded px-2 py-1 text-left text-dim hover:bg-sheet"
            @click="look(folder.above)"
          >
            <CornerLeftUp :size="15" /> the folder above
          </button>
        </li>
        <li v-for="child in folder.folders" :key="child.path">
          <button
            class="flex w-full items-center gap-2 rounded px-2 py-1 text-left hover:bg-sheet"
            @click="look(child.path)"
          >
            <FolderIcon :size="15" class="text-faint" /> {{ child.name }}
          </button>
        </li>
        <li v-for="name in folder.pictures" :key="name" class="num px-2 py-0.5 text-dim">
          {{ name }}
        </li>
        <li v-if="!folder.path && !folder.folders.length" class="p-2 text-dim">
          No folder is open to the program. Start it with
          <code class="num">--frames-root FOLDER</code>, or add files instead.
        </li>
        <li
          v-else-if="folder.path && !folder.pictures.length && !folder.folders.length"
          class="p-2 text-dim"
        >
          This folder holds no raw, TIFF, PNG or JPEG file.
        </li>
      </ul>
      <div v-if="folder.path" class="mt-3">
        <Toggle
          v-model="watching"
          label="Watch this folder: add what a camera writes there later, too"
          test="watch"
        />
      </div>
      <div class="mt-3 flex items-center gap-3">
        <Segmented
          v-model="role"
          class="w-65"
          label="Role"
          :options="[
            { value: 'light', text: 'Light' },
            { value: 'dark', text: 'Dark' },
            { value: 'flat', text: 'Flat' },
            { value: 'bias', text: 'Bias' },
          ]"
        />
        <button class="button ml-auto" @click="emit('close')">Cancel</button>
        <button
          class="button button-go"
          :disabled="(!folder.pictures.length && !watching) || busy"
          data-test="add-pictures"
          @click="add"
        >
          {{
            busy
              ? 'Adding…'
              : folder.pictures.length
                ? `Add ${folder.pictures.length === 1 ? 'one frame' : `${folder.pictures.length} frames`}`
                : watching
                  ? 'Watch'
                  : 'Add frames'
          }}
        </button>
      </div>
    </template>
  </Sheet>
</template>
