// Textures and drawing with WebGL2.

/** A texture that the cache asks for. */
export interface NewTexture {
  /** Its file below the base URL. */
  path: string;
  /** Which layer of its page it is, such as `normal`; undefined for the page itself. */
  layer: string | undefined;
  width: number;
  height: number;
  /** The number of mip levels, including the full size. */
  mips: number;
  /** Rows of 8-bit RGBA for each level; undefined if there is `picture`. */
  levels: Uint8Array[] | undefined;
  /** The picture decoded by the browser. It is closed after the call. */
  picture: ImageBitmap | undefined;
  linearFilter: boolean;
  wrap: "clamp" | "repeat" | "mirror";
  premultiplied: boolean;
  linearColour: boolean;
}

/** Makes and drops textures. `WebGLDevice` is one; write your own for another API. */
export interface Device {
  /** The longest side that a texture may have. */
  readonly largestSide: number;
  /** Makes a texture and returns its number; throws an `Error` if it cannot. */
  make(texture: NewTexture): number;
  /** Drops a texture: each that was made, exactly once. */
  drop(texture: number): void;
}

/** A batch for a device to draw: quads of four vertices of 20 bytes. */
export interface Drawing {
  vertices: Uint8Array;
  /** For each draw: its texture, its first quad, and the number of quads. */
  draws: Uint32Array;
}

/** The most quads whose vertices 16-bit indices reach. */
const QUADS = 16384;

const VERTEX = `#version 300 es
layout(location = 0) in vec2 place;
layout(location = 1) in vec2 uv;
layout(location = 2) in vec4 tint;
uniform vec2 screen;
out vec2 at;
out vec4 colour;
void main() {
  at = uv;
  colour = tint;
  gl_Position = vec4(place / screen * 2.0 - 1.0, 0, 1) * vec4(1, -1, 1, 1);
}`;

const FRAGMENT = `#version 300 es
precision mediump float;
uniform sampler2D page;
in vec2 at;
in vec4 colour;
out vec4 pixel;
void main() { pixel = texture(page, at) * colour; }`;

function shader(gl: WebGL2RenderingContext, kind: number, text: string): WebGLShader {
  const made = gl.createShader(kind)!;
  gl.shaderSource(made, text);
  gl.compileShader(made);
  if (!gl.getShaderParameter(made, gl.COMPILE_STATUS) && !gl.isContextLost()) throw new Error(gl.getShaderInfoLog(made) ?? "no shader");
  return made;
}

/** WebGL2 textures, and a renderer for batches. */
export class WebGLDevice implements Device {
  readonly largestSide: number;
  #gl: WebGL2RenderingContext;
  #textures = new Map<number, { texture: WebGLTexture; premultiplied: boolean }>();
  #next = 1;
  #program!: WebGLProgram;
  #screen!: WebGLUniformLocation;
  #array!: WebGLVertexArrayObject;
  #vertices!: WebGLBuffer;

  constructor(gl: WebGL2RenderingContext) {
    this.#gl = gl;
    this.largestSide = gl.getParameter(gl.MAX_TEXTURE_SIZE);
    this.#build();
  }

  /** Shaders and buffers. */
  #build(): void {
    const gl = this.#gl;
    this.#program = gl.createProgram()!;
    gl.attachShader(this.#program, shader(gl, gl.VERTEX_SHADER, VERTEX));
    gl.attachShader(this.#program, shader(gl, gl.FRAGMENT_SHADER, FRAGMENT));
    gl.linkProgram(this.#program);
    this.#screen = gl.getUniformLocation(this.#program, "screen")!;
    this.#array = gl.createVertexArray()!;
    gl.bindVertexArray(this.#array);
    const indices = new Uint16Array(QUADS * 6);
    for (let i = 0; i < QUADS; i++) indices.set([0, 1, 2, 0, 2, 3].map((corner) => i * 4 + corner), i * 6);
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, indices, gl.STATIC_DRAW);
    this.#vertices = gl.createBuffer()!;
    gl.bindBuffer(gl.ARRAY_BUFFER, this.#vertices);
    for (let i = 0; i < 3; i++) gl.enableVertexAttribArray(i);
    gl.bindVertexArray(null);
  }

  /** Call this and `Cache.deviceLost` in a `webglcontextrestored` event, when a lost device is back. */
  restored(): void {
    this.#textures.clear();
    this.#build();
  }

  make(wanted: NewTexture): number {
    const gl = this.#gl;
    const texture = gl.createTexture();
    if (!texture) throw new Error("the device is lost");
    gl.bindTexture(gl.TEXTURE_2D, texture);
    // Decoded pictures are uploaded unchanged: descriptors say whether pages are premultiplied.
    gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
    gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE);
    gl.texStorage2D(gl.TEXTURE_2D, wanted.mips, gl.RGBA8, wanted.width, wanted.height);
    if (wanted.picture) {
      gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, gl.RGBA, gl.UNSIGNED_BYTE, wanted.picture);
      if (wanted.mips > 1) gl.generateMipmap(gl.TEXTURE_2D);
    }
    wanted.levels?.forEach((rows, level) => {
      const [w, h] = [Math.max(1, wanted.width >> level), Math.max(1, wanted.height >> level)];
      gl.texSubImage2D(gl.TEXTURE_2D, level, 0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, rows);
    });
    this.#sample(wanted);
    const error = gl.getError();
    if (error !== gl.NO_ERROR) {
      gl.deleteTexture(texture);
      throw new Error(`WebGL says ${error} of a texture of ${wanted.width} x ${wanted.height}`);
    }
    this.#textures.set(this.#next, { texture, premultiplied: wanted.premultiplied });
    return this.#next++;
  }

  #sample(wanted: NewTexture): void {
    const gl = this.#gl;
    const plain = wanted.linearFilter ? gl.LINEAR : gl.NEAREST;
    const smaller = wanted.linearFilter ? gl.LINEAR_MIPMAP_LINEAR : gl.NEAREST_MIPMAP_LINEAR;
    const wrap = { clamp: gl.CLAMP_TO_EDGE, repeat: gl.REPEAT, mirror: gl.MIRRORED_REPEAT }[wanted.wrap];
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, plain);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, wanted.mips > 1 ? smaller : plain);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, wrap);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, wrap);
  }

  drop(texture: number): void {
    const own = this.#textures.get(texture);
    if (own) this.#gl.deleteTexture(own.texture);
    this.#textures.delete(texture);
  }

  /** The texture with a number, for drawing of your own. */
  texture(number: number): WebGLTexture | undefined {
    return this.#textures.get(number)?.texture;
  }

  /** Draws a batch over the current picture, in pixels of a screen of that size, y down. */
  draw({ vertices, draws }: Drawing, width: number, height: number): void {
    const gl = this.#gl;
    gl.useProgram(this.#program);
    gl.uniform2f(this.#screen, width, height);
    gl.bindVertexArray(this.#array);
    gl.bindBuffer(gl.ARRAY_BUFFER, this.#vertices);
    gl.bufferData(gl.ARRAY_BUFFER, vertices, gl.STREAM_DRAW);
    gl.enable(gl.BLEND);
    gl.activeTexture(gl.TEXTURE0);
    for (let i = 0; i < draws.length; i += 3) {
      const own = this.#textures.get(draws[i]!);
      if (!own) continue;
      gl.blendFuncSeparate(own.premultiplied ? gl.ONE : gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA, gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
      gl.bindTexture(gl.TEXTURE_2D, own.texture);
      const base = draws[i + 1]! * 4 * 20;
      gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 20, base);
      gl.vertexAttribPointer(1, 2, gl.FLOAT, false, 20, base + 8);
      gl.vertexAttribPointer(2, 4, gl.UNSIGNED_BYTE, true, 20, base + 16);
      gl.drawElements(gl.TRIANGLES, draws[i + 2]! * 6, gl.UNSIGNED_SHORT, 0);
    }
    gl.bindVertexArray(null);
  }
}
