// A picture of the server as the viewer reads it: tiles of 256 pixels at halved sizes.
import type { PictureInfo } from '../api/types'

export const TILE = 256

export function tileUrl(info: PictureInfo, level: number, x: number, y: number, how: string) {
  // The viewer counts levels from the smallest, the server from the full size.
  const halved = info.levels - 1 - level
  return `/api/pictures/${info.source}/tiles/${halved}/${x}_${y}.png?${how}&v=${info.version}`
}

/** A square of a picture, enlarged, in a version of it. */
export function patchUrl(
  source: string,
  version: string,
  at: { x: number; y: number; size: number },
  how: string,
) {
  return `/api/pictures/${source}/patch.png?x=${at.x}&y=${at.y}&size=${at.size}&${how}&v=${version}`
}

export function tileSource(info: PictureInfo, how: string) {
  return {
    width: info.width,
    height: info.height,
    tileSize: TILE,
    tileOverlap: 0,
    minLevel: 0,
    maxLevel: info.levels - 1,
    getTileUrl: (level: number, x: number, y: number) => tileUrl(info, level, x, y, how),
  }
}

/** Where a picture lies when the reference frame's width counts as one. */
export function placement(info: PictureInfo, referenceWidth: number) {
  return {
    x: info.origin[0] / referenceWidth,
    y: info.origin[1] / referenceWidth,
    width: info.width / referenceWidth,
  }
}

/** Viewport zoom at which one picture pixel takes `scale` CSS pixels. */
export function zoomFor(scale: number, referenceWidth: number, containerWidth: number) {
  return (scale * referenceWidth) / containerWidth
}
