import OpenSeadragon from 'openseadragon';

/** A picture of tiles. Its key names all that it hangs on; the same key is the same picture. */
export type Source = {
  key: string;
  width: number;
  height: number;
  steps: number;
  address: (steps: number, column: number, row: number) => string;
};

export type Box = { x: number; y: number; width: number; height: number };

/** Where the picture is in the viewer: its upper left corner, px, and px of the viewer for one of the picture. */
export class Where {
  constructor(
    readonly x: number,
    readonly y: number,
    readonly scale: number,
  ) {}

  /** A box of the picture in the viewer, px. */
  onScreen({ x, y, width, height }: Box): Box {
    const { scale } = this;
    return { x: this.x + scale * x, y: this.y + scale * y, width: scale * width, height: scale * height };
  }
}

type Listener = {
  /** Percent of real pixels, whenever it changes. */
  onZoom: (percent: number) => void;
  /** The picture's px under the pointer, or null when it leaves. */
  onPointer: (at: { x: number; y: number } | null) => void;
  /** Whether a newer picture than the one shown is on its way. */
  onBusy: (busy: boolean) => void;
  /** Where the line between before and after is, in px of the viewer; null when there is none. */
  onSplit: (left: number | null) => void;
};

const nothing = () => {};
const DEAF: Listener = { onZoom: nothing, onPointer: nothing, onBusy: nothing, onSplit: nothing };

/** A place that was touched or dragged over, in px of the picture, and from where to where. */
export type Taken = { box: Box; across: number; down: number };

const TILE = 1024;
const STEP = Math.SQRT1_2; // from a level to the next coarser one

/**
 * A deep-zoom viewer that goes from one revision of a picture to the next without a flash: the new one is loaded unseen
 * below the old, which is taken away once the new one is drawn. While values are dragged, one revision is on its way and
 * only the newest of those asked meanwhile is kept.
 */
export class Deck {
  private readonly viewer: OpenSeadragon.Viewer;
  private shown: { key: string; item: OpenSeadragon.TiledImage } | null = null;
  private coming: string | null = null;
  private next: Source | null = null;
  private before: OpenSeadragon.TiledImage | null = null;
  private readonly place = document.createElement('div');
  private readonly dragged = document.createElement('div');
  private split: number | null = null;
  private taking: ((taken: Taken) => void) | null = null;
  private from: OpenSeadragon.Point | null = null;
  private readonly listener: Listener;
  private closed = false;
  private margin = 0;
  /** The viewer that moves this one just now. */
  private led: Deck | null = null;
  private wanted: Source | null = null;
  private wantedBefore: Source | null = null;
  private afterwards: (() => void) | null = null;
  private at: Where | null = null;
  private readonly followers = new Set<() => void>();
  private waiting: (() => void)[] = [];

  constructor(element: HTMLElement, told: Partial<Listener> = {}) {
    const listener = { ...DEAF, ...told };
    this.listener = listener;
    this.viewer = OpenSeadragon({
      element,
      drawer: 'canvas',
      // The level that is wanted and no coarser ones before it: a revision is shown only when it is whole.
      immediateRender: true,
      showNavigationControl: false,
      animationTime: matchMedia('(prefers-reduced-motion: reduce)').matches ? 0 : 0.25,
      visibilityRatio: 0.25,
      minZoomImageRatio: 0.5,
      // No finer level than the screen can show: at most a step finer.
      minPixelRatio: STEP,
      maxZoomPixelRatio: 8,
      imageLoaderLimit: 8,
      gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: false },
      gestureSettingsTouch: { clickToZoom: false, dblClickToZoom: false },
      gestureSettingsPen: { clickToZoom: false, dblClickToZoom: false },
    });
    // The page has keys of its own.
    this.viewer.addHandler('canvas-key', (event) => {
      event.preventDefaultAction = true;
    });
    const zoomed = () => this.afterZoom();
    this.viewer.addHandler('zoom', zoomed);
    this.viewer.addHandler('resize', zoomed);
    this.viewer.addHandler('update-viewport', () => {
      this.tellSplit();
      this.moved();
    });
    this.dragged.className = 'dragged';
    element.addEventListener('pointerdown', this.pressed, true);
    element.addEventListener('pointerup', this.released, true);
    element.addEventListener('pointermove', this.pointed);
    element.addEventListener('pointerleave', this.left);
  }

  close() {
    this.closed = true;
    this.viewer.destroy();
    this.letOn();
  }

  /** Ask for all that is shown anew: the server was away, and tiles of it may be missing. */
  refresh() {
    const { wanted, wantedBefore } = this;
    this.coming = this.next = null;
    if (this.shown) this.shown.key = '';
    if (wanted) this.show(wanted);
    if (wantedBefore) this.keepBefore(wantedBefore);
  }

  /** Show a picture, at once or as soon as it is loaded. */
  show(source: Source) {
    this.wanted = source;
    if (source.key === this.coming || (source.key === this.shown?.key && !this.coming)) {
      this.next = null;
      return;
    }
    if (this.coming) {
      this.next = source;
      return;
    }
    this.coming = source.key;
    const level = this.fetchInView(source);
    this.listener.onBusy(true);
    this.viewer.addTiledImage({
      tileSource: tileSource(source),
      index: 0,
      opacity: this.shown ? 0 : 1,
      preload: true,
      success: (event) =>
        this.loadThenReveal(source, (event as unknown as { item: OpenSeadragon.TiledImage }).item, level),
    });
  }

  /** The picture as it came in, kept ready on top; unseen until `showBefore`. */
  keepBefore(source: Source) {
    this.wantedBefore = source;
    this.viewer.addTiledImage({
      tileSource: tileSource(source),
      opacity: 0,
      preload: true,
      success: (event) => {
        if (this.before) this.viewer.world.removeItem(this.before);
        this.before = (event as unknown as { item: OpenSeadragon.TiledImage }).item;
        this.splitAt(this.split);
      },
    });
  }

  showBefore(on: boolean) {
    this.before?.setClip(null);
    this.before?.setOpacity(on ? 1 : 0);
    if (!on) this.splitAt(this.split);
  }

  /** Show before at the left of a line, after at its right; at a share of the picture's width, or null for no line. */
  splitAt(share: number | null) {
    this.split = share;
    if (this.before) {
      const size = this.before.getContentSize();
      this.before.setClip(share === null ? null : new OpenSeadragon.Rect(0, 0, share * size.x, size.y));
      this.before.setOpacity(share === null ? 0 : 1);
    }
    this.tellSplit();
  }

  /** Move the line by a share of the picture's width. */
  splitBy(share: number) {
    if (this.split !== null) this.splitAt(Math.min(1, Math.max(0, this.split + share)));
  }

  /** The share of the picture's width under a place on the screen. */
  shareAt(clientX: number): number {
    const item = this.shown?.item;
    if (!item) return 0.5;
    const left = clientX - this.viewer.element.getBoundingClientRect().left;
    const at = item.viewerElementToImageCoordinates(new OpenSeadragon.Point(left, 0));
    return Math.min(1, Math.max(0, at.x / item.getContentSize().x));
  }

  /** Keep another viewer at the same place and zoom, and be kept by it; returns what ends that. */
  join(other: Deck): () => void {
    const ends = [this.lead(other), other.lead(this)];
    return () => ends.forEach((end) => end());
  }

  private lead(other: Deck): () => void {
    const move = () => {
      // What moves only because the other did must not move that back; it does move the next one of a row.
      if (this.led === other || this.closed || other.closed) return;
      other.led = this;
      other.viewer.viewport.zoomTo(this.viewer.viewport.getZoom(false), undefined, true);
      // From middle to middle: pictures of other proportions keep their place in the window.
      const off = this.viewer.viewport.getCenter(false).minus(this.viewer.viewport.getHomeBounds().getCenter());
      other.viewer.viewport.panTo(other.viewer.viewport.getHomeBounds().getCenter().plus(off), true);
      other.led = null;
    };
    this.viewer.addHandler('zoom', move);
    this.viewer.addHandler('pan', move);
    move();
    return () => {
      this.viewer.removeHandler('zoom', move);
      this.viewer.removeHandler('pan', move);
    };
  }

  /** Where the picture is, and null before there is one; the same object until it is elsewhere. */
  readonly where = (): Where | null => this.at;

  /** Be told whenever the picture is elsewhere; returns what ends that. */
  readonly follow = (told: () => void): (() => void) => {
    this.followers.add(told);
    return () => this.followers.delete(told);
  };

  /** The picture's px under a place on the screen. */
  pictureAt(clientX: number, clientY: number): { x: number; y: number } | null {
    const item = this.shown?.item;
    if (!item) return null;
    return item.viewerElementToImageCoordinates(this.onElement(clientX, clientY));
  }

  /** Resolves as soon as no newer picture is on its way. */
  async arrived(): Promise<void> {
    if (this.coming && !this.closed) await new Promise<void>((resolve) => this.waiting.push(resolve));
  }

  /** Let a place be touched or dragged over, once; null ends that. */
  take(onTaken: ((taken: Taken) => void) | null) {
    this.taking = onTaken;
    this.from = null;
    this.viewer.setMouseNavEnabled(onTaken === null);
    this.viewer.element.style.cursor = onTaken ? 'crosshair' : '';
    this.viewer.removeOverlay(this.dragged);
  }

  /** Zoom by a factor about a place on the screen. */
  zoomAt(clientX: number, clientY: number, factor: number) {
    const { viewport } = this.viewer;
    viewport.zoomBy(factor, viewport.pointFromPixel(this.onElement(clientX, clientY)), true);
    viewport.applyConstraints(true);
  }

  /** Move the picture by px of the screen. */
  panBy(across: number, down: number) {
    const { viewport } = this.viewer;
    viewport.panBy(viewport.deltaPointsFromPixels(new OpenSeadragon.Point(-across, -down)), true);
    viewport.applyConstraints(true);
  }

  /** What is shown, to take a ghost of a place from; its size is that of the element times the screen's own ratio. */
  get canvas(): HTMLCanvasElement | null {
    const { canvas } = this.viewer.drawer;
    return canvas instanceof HTMLCanvasElement ? canvas : null;
  }

  fit(atOnce = false) {
    const { viewport } = this.viewer;
    const whole = viewport.getHomeBounds();
    const more = this.margin * Math.max(whole.width, whole.height);
    viewport.fitBounds(
      new OpenSeadragon.Rect(whole.x - more, whole.y - more, whole.width + 2 * more, whole.height + 2 * more),
      atOnce,
    );
  }

  /** Leave a share of the picture's size free round it when it is fitted to the window. */
  leaveMargin(share: number) {
    if (this.margin === share) return;
    this.margin = share;
    if (this.shown) this.fit(true);
  }

  /** One px of the picture on one px of the screen. */
  realPixels() {
    const item = this.shown?.item;
    if (item) this.viewer.viewport.zoomTo(item.imageToViewportZoom(1 / devicePixelRatio));
  }

  /** Fly to a place and mark it, at a zoom (1 is real pixels) or so that it fits; as soon as there is a picture. */
  flyTo(box: Box, label: string, colour: string, zoom?: number) {
    const item = this.shown?.item;
    if (!item) {
      this.afterwards = () => this.flyTo(box, label, colour, zoom);
      return;
    }
    const size = this.viewer.element.getBoundingClientRect();
    const whole = item.getContentSize();
    // Not farther away than where the whole picture is seen.
    const seen = (length: number, all: number) => Math.min(Math.max(length * 2.2, 160), Math.max(all, length));
    const width = zoom ? size.width / zoom : seen(box.width, whole.x);
    const height = zoom ? size.height / zoom : seen(box.height, whole.y);
    const around = item.imageToViewportRectangle(
      width === whole.x ? 0 : box.x + (box.width - width) / 2,
      height === whole.y ? 0 : box.y + (box.height - height) / 2,
      width,
      height,
    );
    this.viewer.viewport.fitBounds(around, false);
    this.place.className = 'place';
    this.place.style.setProperty('--mark', colour);
    this.place.dataset.label = label;
    this.viewer.removeOverlay(this.place);
    this.viewer.addOverlay({
      element: this.place,
      location: item.imageToViewportRectangle(box.x, box.y, box.width, box.height),
    });
  }

  unmark() {
    this.afterwards = null;
    this.viewer.removeOverlay(this.place);
  }

  /** Have the tiles in view on their way before the viewer's next frame, when it asks for them; returns their level. */
  private fetchInView(source: Source): number | null {
    const item = this.shown?.item;
    const size = item?.getContentSize();
    // Of another size, other tiles may be in view.
    if (!item || size?.x !== source.width || size.y !== source.height) return null;
    const drawn = (item.getTilesToDraw() as { tile: OpenSeadragon.Tile }[]).map(({ tile }) => tile);
    const level = Math.max(...drawn.map((tile) => tile.level));
    for (const tile of drawn.filter((one) => one.level === level))
      void fetch(source.address(source.steps - tile.level, tile.x, tile.y), { priority: 'high' }).catch(nothing);
    return drawn.length ? level : null;
  }

  private loadThenReveal(source: Source, item: OpenSeadragon.TiledImage, level: number | null) {
    if (this.closed) return;
    // Until the view is another, no coarser tiles need stand in: the picture before it does.
    const free = level === null ? nothing : keepToLevel(item, level);
    this.viewer.addHandler('zoom', free);
    if (!this.shown) this.fit(true);
    let revealed = false;
    let failed = false;
    const fail = (event: unknown) => {
      failed ||= (event as { tiledImage?: unknown }).tiledImage === item;
    };
    this.viewer.addHandler('tile-load-failed', fail);
    const reveal = () => {
      if (revealed || this.closed) return;
      revealed = true;
      this.viewer.removeHandler('tile-load-failed', fail);
      this.viewer.removeHandler('zoom', free);
      free();
      if (failed && this.shown) {
        // The server is away or has it no longer: what is shown stays, and is asked for anew once it is back.
        this.viewer.world.removeItem(item);
        this.showNext(source);
        return;
      }
      const old = this.shown?.item;
      this.shown = { key: source.key, item };
      item.setOpacity(1);
      const was = old?.getContentSize();
      const now = item.getContentSize();
      if (was && (was.x !== now.x || was.y !== now.y)) this.fit(true);
      this.viewer.forceRedraw();
      this.afterZoom();
      this.afterwards?.();
      this.afterwards = null;
      this.moved();
      // For whoever measures how long a person waits.
      requestAnimationFrame(() => performance.mark('picture shown', { detail: source.key }));
      // Two frames, so that the new picture is drawn before the old one goes.
      requestAnimationFrame(() =>
        requestAnimationFrame(() => {
          if (this.closed) return;
          if (old) this.viewer.world.removeItem(old);
          this.showNext(source);
        }),
      );
    };
    if (item.getFullyLoaded()) reveal();
    else {
      item.addHandler('fully-loaded-change', (event) => {
        if (event.fullyLoaded) reveal();
      });
    }
  }

  private moved() {
    const item = this.shown?.item;
    if (!item) return;
    const a = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0));
    const b = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(item.getContentSize().x, 0));
    const scale = (b.x - a.x) / item.getContentSize().x;
    if (this.at?.x === a.x && this.at.y === a.y && this.at.scale === scale) return;
    this.at = new Where(a.x, a.y, scale);
    this.followers.forEach((told) => told());
  }

  /** What was asked for while this one was on its way. */
  private showNext(done: Source) {
    this.coming = null;
    const next = this.next;
    this.next = null;
    if (next && next.key !== done.key && next.key !== this.shown?.key) this.show(next);
    else {
      this.listener.onBusy(false);
      this.letOn();
    }
  }

  private letOn() {
    this.waiting.forEach((go) => go());
    this.waiting = [];
  }

  private afterZoom() {
    const item = this.shown?.item;
    if (!item) return;
    const zoom = item.viewportToImageZoom(this.viewer.viewport.getZoom(true)) * devicePixelRatio;
    // Real pixels above 100 %: what is looked for there is single pixels.
    this.viewer.drawer.setImageSmoothingEnabled(zoom <= 1.001);
    const target = item.viewportToImageZoom(this.viewer.viewport.getZoom(false)) * devicePixelRatio;
    this.listener.onZoom(Math.round(100 * target));
  }

  private readonly pointed = (event: PointerEvent) => {
    const item = this.shown?.item;
    const at = this.imageAt(event);
    if (!item || !at) return;
    if (this.taking && this.from) {
      const { x, y, width, height } = boxOf(this.from, at);
      this.viewer.removeOverlay(this.dragged);
      this.viewer.addOverlay({ element: this.dragged, location: item.imageToViewportRectangle(x, y, width, height) });
    }
    const size = item.getContentSize();
    const inside = at.x >= 0 && at.y >= 0 && at.x < size.x && at.y < size.y;
    this.listener.onPointer(inside ? { x: Math.floor(at.x), y: Math.floor(at.y) } : null);
  };

  private tellSplit() {
    const item = this.shown?.item;
    if (this.split === null || !item) return this.listener.onSplit(null);
    const size = item.getContentSize();
    this.listener.onSplit(item.imageToViewerElementCoordinates(new OpenSeadragon.Point(this.split * size.x, 0)).x);
  }

  private imageAt(event: PointerEvent): OpenSeadragon.Point | null {
    return this.shown?.item.viewerElementToImageCoordinates(this.onElement(event.clientX, event.clientY)) ?? null;
  }

  private onElement(clientX: number, clientY: number): OpenSeadragon.Point {
    const edge = this.viewer.element.getBoundingClientRect();
    return new OpenSeadragon.Point(clientX - edge.left, clientY - edge.top);
  }

  private readonly pressed = (event: PointerEvent) => {
    if (!this.taking) return;
    event.preventDefault();
    this.from = this.imageAt(event);
  };

  private readonly released = (event: PointerEvent) => {
    const to = this.imageAt(event);
    if (!this.taking || !this.from || !to) return;
    const taken = this.taking;
    const found = { box: boxOf(this.from, to), across: to.x - this.from.x, down: to.y - this.from.y };
    this.take(null);
    taken(found);
  };

  private readonly left = () => this.listener.onPointer(null);
}

const TOUCHED = 15; // px round a place that was touched rather than dragged over

function boxOf(a: OpenSeadragon.Point, b: OpenSeadragon.Point): Box {
  const width = Math.round(Math.abs(a.x - b.x));
  const height = Math.round(Math.abs(a.y - b.y));
  if (width < 4 && height < 4) {
    const half = (TOUCHED - 1) / 2;
    return { x: Math.floor(a.x) - half, y: Math.floor(a.y) - half, width: TOUCHED, height: TOUCHED };
  }
  return { x: Math.floor(Math.min(a.x, b.x)), y: Math.floor(Math.min(a.y, b.y)), width: width + 1, height: height + 1 };
}

/** Have tiles of one level loaded, and none of a coarser one that would stand in for them; returns what ends that. */
function keepToLevel(item: OpenSeadragon.TiledImage, level: number): () => void {
  // The types lack the level that is loaded where no other covers the view.
  const of = item as OpenSeadragon.TiledImage & { savedCutOffLevel: number };
  const { savedCutOffLevel } = of;
  of.source.minLevel = of.savedCutOffLevel = level;
  return () => {
    of.source.minLevel = 0;
    of.savedCutOffLevel = savedCutOffLevel;
  };
}

function tileSource(source: Source) {
  return {
    width: source.width,
    height: source.height,
    tileSize: TILE,
    tileOverlap: 0,
    minLevel: 0,
    maxLevel: source.steps,
    getLevelScale: (level: number) => STEP ** (source.steps - level),
    getTileUrl: (level: number, column: number, row: number) => source.address(source.steps - level, column, row),
  };
}
