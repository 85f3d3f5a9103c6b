// One pane of the view: an OpenSeadragon viewer that shows one picture and follows its twin.
import OpenSeadragon from 'openseadragon'
import type { PictureInfo } from '../api/types'
import { placement, tileSource, zoomFor } from '../domain/tiles'

export interface View {
  /** Left top and scale of the reference frame on the screen, in CSS pixels. */
  left: number
  top: number
  scale: number
}

/** What lies in the middle, in pixels of the reference frame, and how large it is shown. */
export interface Place {
  x: number
  y: number
  scale: number
}

export class Pane {
  private viewer: OpenSeadragon.Viewer
  private twin: Pane | null = null
  /** Whether the hand is on this pane; the twin follows it and does not answer. */
  private leads = true
  private shown = ''
  private over: OpenSeadragon.TiledImage | null = null
  /** Whether the panes show the same place. */
  linked = true
  private laid = ''
  /** Whether it was said which part of the picture is seen. */
  private placed = false
  /** Whether all of the picture is seen, until it is moved by hand: then it stays so in any window. */
  private fitted = false
  /** The size of the pane, and what was seen in it last. */
  private window: { x: number; y: number; place: Place | null } = { x: 0, y: 0, place: null }
  /** The place to begin with, instead of the whole picture. */
  private home: Place | null = null
  private referenceWidth = 1
  private referenceHeight = 1

  constructor(
    element: HTMLElement,
    private changed: (view: View) => void,
    clicked: (x: number, y: number) => boolean,
  ) {
    const calm = window.matchMedia('(prefers-reduced-motion: reduce)').matches
    this.viewer = OpenSeadragon({
      element,
      drawer: 'canvas',
      prefixUrl: '',
      showNavigationControl: false,
      keyboardNavEnabled: false,
      gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: false },
      gestureSettingsTouch: { dblClickToZoom: false },
      // A press that stays in its place is a click however long it lasts: a careful hand holds on.
      clickTimeThreshold: Infinity,
      animationTime: calm ? 0 : 0.35,
      springStiffness: 10,
      zoomPerScroll: 1.25,
      minZoomImageRatio: 0.6,
      maxZoomPixelRatio: 24,
      visibilityRatio: 0.25,
      imageLoaderLimit: 6,
      maxImageCacheCount: 300,
      silenceMultiImageWarnings: true,
      immediateRender: true,
    })
    this.viewer.setControlsEnabled(false)
    this.viewer.addHandler('viewport-change', () => this.lead())
    this.viewer.addHandler('canvas-press', () => this.take())
    this.viewer.addHandler('canvas-drag', () => this.move())
    this.viewer.addHandler('canvas-scroll', () => this.move())
    this.viewer.addHandler('canvas-pinch', () => this.move())
    this.viewer.addHandler('resize', () => this.resized())
    this.viewer.addHandler('update-viewport', () => this.report())
    this.viewer.addHandler('canvas-click', (event) => {
      if (!event.quick) return
      const at = this.toPixels(event.position)
      if (clicked(at.x, at.y)) event.preventDefaultAction = true
    })
  }

  /** Lays a map over the picture, or takes it away. */
  lay(info: PictureInfo | null, how = 'stops=0') {
    const key = info ? `${info.source} ${info.version} ${how}` : ''
    if (key === this.laid) return
    this.laid = key
    const old = this.over
    this.over = null
    if (!info) {
      if (old) this.drop(old)
      return
    }
    this.viewer.addTiledImage({
      tileSource: tileSource(info, how) as unknown as OpenSeadragon.TileSource,
      ...placement(info, this.referenceWidth),
      success: (event) => {
        const item = (event as unknown as { item: OpenSeadragon.TiledImage }).item
        if (this.laid !== key) return this.drop(item)
        this.over = item
        // The map before stays until the new one is there.
        if (!old) return
        item.addOnceHandler('fully-loaded-change', () => this.drop(old))
        setTimeout(() => this.drop(old), 1500)
      },
    })
  }

  pair(twin: Pane) {
    this.twin = twin
    twin.twin = this
    this.take()
  }

  private take() {
    this.leads = true
    if (this.twin) this.twin.leads = false
  }

  /** Shows a picture; the place on the screen stays unless nothing was shown before. */
  show(info: PictureInfo, reference: { width: number; height: number }, how: string) {
    const key = `${info.source} ${info.version} ${how}`
    if (key === this.shown) return
    const first = this.shown === ''
    this.shown = key
    this.referenceWidth = reference.width
    this.referenceHeight = reference.height
    this.viewer.addTiledImage({
      // A map that lies over the picture stays on top.
      ...(this.over ? { index: this.viewer.world.getItemCount() - 1 } : {}),
      // The library takes such an object; its types only know its own sources.
      tileSource: tileSource(info, how) as unknown as OpenSeadragon.TileSource,
      ...placement(info, reference.width),
      success: (event) => {
        const { item } = event as unknown as { item: OpenSeadragon.TiledImage }
        // The old picture stays below until all of the new one is there.
        item.addOnceHandler('fully-loaded-change', () => this.dropBelow(item))
        setTimeout(() => this.dropBelow(item), 5000)
        // Of two that come at once, the first one fits and the other follows.
        if (first && this.twin?.placed) this.copy(this.twin)
        else if (first) this.begin()
        this.placed = true
      },
    })
  }

  /** Takes away what lies under a picture that is still on show. */
  private dropBelow(item: OpenSeadragon.TiledImage) {
    const { world } = this.viewer
    for (let below = world.getIndexOfItem(item) - 1; below >= 0; below--) {
      const old = world.getItemAt(below)
      if (old !== this.over) world.removeItem(old)
    }
  }

  private move() {
    this.take()
    this.fitted = false
    if (this.twin && this.linked) this.twin.fitted = false
  }

  private drop(item: OpenSeadragon.TiledImage) {
    if (this.viewer.world.getIndexOfItem(item) >= 0) this.viewer.world.removeItem(item)
  }

  /** Asks for what is shown anew the next time: tiles that were refused are not asked for again. */
  renew() {
    if (this.shown) this.shown = 'stale'
    if (this.laid) this.laid = 'stale'
  }

  clear() {
    this.shown = this.laid = ''
    this.over = null
    this.placed = false
    this.viewer.world.removeAll()
  }

  private bounds() {
    return new OpenSeadragon.Rect(0, 0, 1, this.referenceHeight / this.referenceWidth)
  }

  /** Lets the panes be moved apart, or brings them together again. */
  link(linked: boolean) {
    this.linked = linked
    if (this.twin) this.twin.linked = linked
    if (linked && this.twin?.shown) this.twin.copy(this)
  }

  private begin() {
    if (this.home) this.goTo(this.home)
    else this.fit(true)
  }

  /** Shows a place at once, or as soon as there is a picture. */
  goTo(place: Place) {
    // Whichever of the two has a picture first begins there.
    const waits = this.shown ? null : place
    this.home = waits
    if (this.twin) this.twin.home = waits
    if (waits) return
    this.window.place = place
    this.move()
    const wide = this.viewer.viewport.getContainerSize().x
    const zoom = zoomFor(place.scale, this.referenceWidth, wide)
    this.viewer.viewport.zoomTo(zoom, undefined, true)
    const { x, y } = place
    this.viewer.viewport.panTo(
      new OpenSeadragon.Point(x / this.referenceWidth, y / this.referenceWidth),
      true,
    )
  }

  /** The place in the middle; nothing while all of the picture is shown. */
  place(): Place | null {
    if (this.fitted || !this.placed) return null
    const { x, y } = this.viewer.viewport.getCenter(true)
    const wide = this.viewer.viewport.getContainerSize().x
    const scale = (this.viewer.viewport.getZoom(true) * wide) / this.referenceWidth
    return { x: x * this.referenceWidth, y: y * this.referenceWidth, scale }
  }

  /** In a window of another size all of the picture stays seen, or the same place at the same scale. */
  private resized() {
    const { x, y } = this.viewer.viewport.getContainerSize()
    if (x === this.window.x && y === this.window.y) return
    const place = this.window.place
    this.window = { x, y, place }
    if (this.linked && !this.leads) return
    // Once the library has done what it does itself.
    setTimeout(() => {
      if (this.fitted) this.fit(true)
      else if (place && this.shown) this.goTo(place)
    })
  }

  fit(immediately = false) {
    this.take()
    this.fitted = true
    this.home = null
    if (this.twin) this.twin.home = null
    this.viewer.viewport.fitBounds(this.bounds(), immediately)
  }

  zoomTo(scale: number) {
    this.move()
    const wide = this.viewer.viewport.getContainerSize().x
    this.viewer.viewport.zoomTo(zoomFor(scale, this.referenceWidth, wide))
  }

  /** Brings a place of the reference frame to the middle, at least as large as on the screen. */
  lookAt(x: number, y: number, scale: number) {
    this.move()
    const wide = this.viewer.viewport.getContainerSize().x
    const now = (this.viewer.viewport.getZoom(true) * wide) / this.referenceWidth
    const point = new OpenSeadragon.Point(x / this.referenceWidth, y / this.referenceWidth)
    this.viewer.viewport.panTo(point)
    // About the middle, where the place comes to lie.
    if (now < scale) this.viewer.viewport.zoomTo(zoomFor(scale, this.referenceWidth, wide))
  }

  /** Turns a wheel over the picture. */
  wheel(event: WheelEvent) {
    this.zoomBy(event.deltaY < 0 ? 1.25 : 0.8, event.clientX, event.clientY)
  }

  /** Shows the picture so much larger about a position of the window. */
  zoomBy(factor: number, clientX: number, clientY: number) {
    this.move()
    const at = this.under(clientX, clientY)
    const point = new OpenSeadragon.Point(at.x / this.referenceWidth, at.y / this.referenceWidth)
    this.viewer.viewport.zoomBy(factor, point)
    this.viewer.viewport.applyConstraints()
  }

  /** Looks at what lies so many pixels of the screen farther. */
  pan(x: number, y: number) {
    this.move()
    const by = this.viewer.viewport.deltaPointsFromPixels(new OpenSeadragon.Point(x, y))
    this.viewer.viewport.panBy(by)
    this.viewer.viewport.applyConstraints()
  }

  /** Takes over where the twin is, at once. */
  private copy(from: Pane) {
    this.fitted = from.fitted
    this.viewer.viewport.fitBounds(from.viewer.viewport.getBounds(true), true)
  }

  private lead() {
    if (this.leads && this.linked && this.twin?.shown) this.twin.copy(this)
  }

  private report() {
    const { x: wide, y: tall } = this.viewer.viewport.getContainerSize()
    const scale = (this.viewer.viewport.getZoom(true) * wide) / this.referenceWidth
    const at = this.viewer.viewport.pixelFromPoint(new OpenSeadragon.Point(0, 0), true)
    // Enlarged pixels are shown as they are, not smoothed over.
    this.viewer.drawer.setImageSmoothingEnabled(scale < 1.5)
    // In a window that has just changed its size, the library shows another place for a moment.
    const known = this.window.x === 0 || (wide === this.window.x && tall === this.window.y)
    if (known && this.placed) this.window = { x: wide, y: tall, place: this.place() }
    this.changed({ left: at.x, top: at.y, scale })
  }

  private toPixels(position: OpenSeadragon.Point) {
    const point = this.viewer.viewport.pointFromPixel(position, true)
    return { x: point.x * this.referenceWidth, y: point.y * this.referenceWidth }
  }

  /** Position in the reference frame under a position of the window. */
  under(clientX: number, clientY: number) {
    const box = this.viewer.element.getBoundingClientRect()
    return this.toPixels(new OpenSeadragon.Point(clientX - box.left, clientY - box.top))
  }

  destroy() {
    this.viewer.destroy()
  }
}
