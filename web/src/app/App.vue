<script setup lang="ts">
import { onMounted, onUnmounted } from 'vue'
import NoticeBar from '../ui/NoticeBar.vue'
import TipBubble from '../ui/TipBubble.vue'
import ConnectionLost from './ConnectionLost.vue'
import { takeKeys } from './commands'

onMounted(() => window.addEventListener('keydown', takeKeys))
onUnmounted(() => window.removeEventListener('keydown', takeKeys))
</script>

<template>
  <RouterView />
  <NoticeBar />
  <ConnectionLost />
  <TipBubble />
</template>
