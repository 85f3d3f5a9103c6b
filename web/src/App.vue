<script setup lang="ts">
import NoticeBar from './parts/NoticeBar.vue'
</script>

<template>
  <RouterView />
  <NoticeBar />
</template>
