import {
  ClampToEdgeWrapping,
  GLSL3,
  LinearFilter,
  LinearMipmapLinearFilter,
  Mesh,
  NoColorSpace,
  OrthographicCamera,
  PlaneGeometry,
  RawShaderMaterial,
  RepeatWrapping,
  Scene,
  Texture,
  VideoTexture,
  WebGLRenderer,
} from "three";
import type { View } from "./geometry";

const VERTEX = `
in vec3 position;
out vec2 place;
void main() { place = position.xy; gl_Position = vec4(position.xy, 0.0, 1.0); }
`;

// Every pixel asks for its own direction, so that nothing is bent by the triangles of a ball.
const FRAGMENT = `
precision highp float;
in vec2 place;
out vec4 colour;
uniform sampler2D picture;
uniform vec2 slope;
uniform vec2 heading;
uniform vec2 pitch;
// Shares of the sphere that are missing at the top, bottom, left and right.
uniform vec4 bounds;
// Where the eye's part of the picture begins, and how large it is.
uniform vec4 part;
const float PI = 3.14159265358979;
void main() {
  vec3 d = vec3(place * slope, -1.0);
  d = vec3(d.x, d.y * pitch.y - d.z * pitch.x, d.y * pitch.x + d.z * pitch.y);
  d = normalize(vec3(d.x * heading.y - d.z * heading.x, d.y, d.x * heading.x + d.z * heading.y));
  vec2 uv = vec2(0.5 + atan(d.x, -d.z) / (2.0 * PI), 0.5 + asin(clamp(d.y, -1.0, 1.0)) / PI);
  // Across the seam the coordinate jumps by one; the detail does not.
  vec2 dx = dFdx(uv), dy = dFdy(uv);
  dx.x -= round(dx.x);
  dy.x -= round(dy.x);
  vec2 extent = vec2(1.0 - bounds.z - bounds.w, 1.0 - bounds.x - bounds.y);
  vec2 inside = (vec2(fract(uv.x), uv.y) - bounds.zy) / extent;
  if (inside.x < 0.0 || inside.x > 1.0 || inside.y < 0.0 || inside.y > 1.0) {
    colour = vec4(vec3(0.18), 1.0);
    return;
  }
  vec2 scale = part.zw / extent;
  colour = vec4(textureGrad(picture, part.xy + inside * part.zw, dx * scale, dy * scale).rgb, 1.0);
}
`;

const RAD = Math.PI / 180;

/** Shows a part of an unrolled sphere as the eye would see it. Draws only when something changed. */
export class SphereView {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new OrthographicCamera();
  private readonly material: RawShaderMaterial;
  private texture: Texture | null = null;
  private waiting = 0;

  constructor(canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: false, alpha: false });
    this.material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      depthTest: false,
      uniforms: {
        picture: { value: null },
        slope: { value: [1, 1] },
        heading: { value: [0, 1] },
        pitch: { value: [0, 1] },
        bounds: { value: [0, 0, 0, 0] },
        part: { value: [0, 0, 1, 1] },
      },
    });
    const quad = new Mesh(new PlaneGeometry(2, 2), this.material);
    quad.frustumCulled = false;
    this.scene.add(quad);
  }

  /** Takes a picture; one too large for this machine's graphics is made smaller. Gives the width shown. */
  async load(picture: Blob, sharp: boolean): Promise<number> {
    const limit = this.renderer.capabilities.maxTextureSize;
    let bitmap = await createImageBitmap(picture, { imageOrientation: "flipY" });
    if (bitmap.width > limit) {
      const smaller = await createImageBitmap(picture, {
        imageOrientation: "flipY",
        resizeWidth: limit,
        resizeHeight: limit / 2,
        resizeQuality: "high",
      });
      bitmap.close();
      bitmap = smaller;
    }
    const texture = new Texture(bitmap);
    texture.flipY = false;
    texture.colorSpace = NoColorSpace;
    texture.wrapS = RepeatWrapping;
    texture.wrapT = ClampToEdgeWrapping;
    texture.magFilter = LinearFilter;
    texture.minFilter = sharp ? LinearMipmapLinearFilter : LinearFilter;
    texture.generateMipmaps = sharp;
    texture.needsUpdate = true;
    this.texture?.dispose();
    this.texture = texture;
    this.set("picture", texture);
    this.draw();
    return bitmap.width;
  }

  /**
   * Shows a film while it plays. `bounds` are the shares of the sphere that it misses at its top, bottom, left and right; `part` is
   * where the eye's part of the picture begins, from the left and from below, and how large it is.
   */
  film(video: HTMLVideoElement, bounds: readonly number[], part: readonly number[]): () => void {
    const texture = new VideoTexture(video);
    texture.colorSpace = NoColorSpace;
    texture.wrapS = RepeatWrapping;
    texture.wrapT = ClampToEdgeWrapping;
    texture.magFilter = LinearFilter;
    texture.minFilter = LinearFilter;
    this.texture?.dispose();
    this.texture = null;
    this.set("picture", texture);
    this.set("bounds", bounds);
    this.set("part", part);
    let asked = 0;
    const shown = () => {
      if (video.videoWidth > 0 && video.readyState >= HTMLMediaElement.HAVE_CURRENT_DATA) {
        this.texture = texture;
        texture.needsUpdate = true;
        this.draw();
      }
      asked = video.requestVideoFrameCallback(shown);
    };
    shown();
    return () => video.cancelVideoFrameCallback(asked);
  }

  /** Looks somewhere. */
  look(view: View): void {
    const { clientWidth: w, clientHeight: h } = this.renderer.domElement;
    const half = Math.tan((view.hfov / 2) * RAD);
    this.set("slope", [half, (half * h) / Math.max(1, w)]);
    this.set("heading", [Math.sin(view.lon * RAD), Math.cos(view.lon * RAD)]);
    this.set("pitch", [Math.sin(view.lat * RAD), Math.cos(view.lat * RAD)]);
    this.draw();
  }

  /** Fits the canvas to its place on the page. */
  fit(): void {
    const { clientWidth: w, clientHeight: h } = this.renderer.domElement;
    this.renderer.setPixelRatio(window.devicePixelRatio);
    this.renderer.setSize(w, h, false);
  }

  dispose(): void {
    cancelAnimationFrame(this.waiting);
    this.texture?.dispose();
    this.material.dispose();
    this.renderer.dispose();
  }

  private set(name: string, value: unknown): void {
    const uniform = this.material.uniforms[name];
    if (uniform) uniform.value = value;
  }

  private draw(): void {
    cancelAnimationFrame(this.waiting);
    this.waiting = requestAnimationFrame(() => {
      if (this.texture) this.renderer.render(this.scene, this.camera);
    });
  }
}
