/** The small pictures of the selected light's stages, in the places that show them. */
export class StagePictures {
  private readonly places = new Map<string, HTMLImageElement>();
  private readonly urls = new Map<string, string>();

  attach(stage: string, place: HTMLImageElement | null): void {
    if (!place) {
      this.places.delete(stage);
      return;
    }
    this.places.set(stage, place);
    this.put(stage);
  }

  show(stage: string, picture: Blob): void {
    const before = this.urls.get(stage);
    this.urls.set(stage, URL.createObjectURL(picture));
    this.put(stage);
    if (before) URL.revokeObjectURL(before);
  }

  private put(stage: string): void {
    const place = this.places.get(stage);
    const url = this.urls.get(stage);
    if (place && url) place.src = url;
  }
}
