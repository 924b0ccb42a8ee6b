/** Small pictures of one garment, drawn apart from the stage. */
import { Box3, BufferAttribute, BufferGeometry, DirectionalLight, HemisphereLight, Mesh, PerspectiveCamera, Scene, SRGBColorSpace, Vector3, WebGLRenderer } from "three";
import { clothMaterial } from "./clothMaterial";
import { DYES } from "./cloths";
import { smoothNormals } from "./surface";

const SIDE = 132; // px, twice what it is shown at
const TURNED = new Vector3(0.55, 0.22, 0.8).normalize();

let studio: { renderer: WebGLRenderer; scene: Scene; eye: PerspectiveCamera } | null = null;

function opened() {
  if (studio !== null) return studio;
  const renderer = new WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
  renderer.outputColorSpace = SRGBColorSpace;
  renderer.setSize(SIDE, SIDE, false);
  const scene = new Scene();
  const key = new DirectionalLight("#fff4e2", 2.5);
  key.position.set(-3.2, 3, 1.1);
  const fill = new DirectionalLight("#b9c8e6", 0.7);
  fill.position.set(3.5, 1.2, 2.5);
  scene.add(key, fill, new HemisphereLight("#eef0f4", "#a29b8e", 1.25));
  studio = { renderer, scene, eye: new PerspectiveCamera(28, 1, 0.02, 100) };
  return studio;
}

/** A garment of triangles over points, x y z each, as a PNG in a URL. */
export function snapshot(triangles: Uint32Array, points: Float32Array, dye: number): string {
  const { renderer, scene, eye } = opened();
  const tones = DYES[dye % DYES.length] ?? { outside: "#8fa0c8", inside: "#c0785f" };
  const normals = new Float32Array(points.length);
  smoothNormals(triangles, points, normals);
  const geometry = new BufferGeometry();
  geometry.setIndex(new BufferAttribute(triangles, 1));
  geometry.setAttribute("position", new BufferAttribute(points, 3));
  geometry.setAttribute("normal", new BufferAttribute(normals, 3));
  geometry.setAttribute("color", new BufferAttribute(new Float32Array(points.length).fill(1), 3));
  geometry.setAttribute("chalk", new BufferAttribute(new Float32Array(points.length / 3), 1));
  const mesh = new Mesh(geometry, clothMaterial(tones));
  scene.add(mesh);
  const box = new Box3().setFromObject(mesh);
  const [middle, size] = [box.getCenter(new Vector3()), box.getSize(new Vector3())];
  const distance = (0.56 * Math.max(size.y, Math.hypot(size.x, size.z) * 0.86)) / Math.tan((eye.fov * Math.PI) / 360);
  eye.position.copy(middle).addScaledVector(TURNED, Math.max(0.05, distance));
  eye.near = distance / 100;
  eye.far = distance * 10;
  eye.updateProjectionMatrix();
  eye.lookAt(middle);
  renderer.render(scene, eye);
  scene.remove(mesh);
  geometry.dispose();
  mesh.material.dispose();
  return renderer.domElement.toDataURL("image/png");
}
