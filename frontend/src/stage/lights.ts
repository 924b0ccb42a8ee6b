/** Daylight from the side, soft from above, and a floor that takes a soft shadow. */
import {
  CircleGeometry,
  DirectionalLight,
  HemisphereLight,
  Mesh,
  PCFShadowMap,
  type Scene,
  ShadowMaterial,
  type WebGLRenderer,
} from "three";

export class Daylight {
  private readonly key = new DirectionalLight("#fff4e2", 2.5);
  private readonly floor = new Mesh(new CircleGeometry(8, 48), new ShadowMaterial({ opacity: 0.2 }));

  constructor(scene: Scene, renderer: WebGLRenderer) {
    renderer.shadowMap.enabled = true;
    renderer.shadowMap.type = PCFShadowMap;
    renderer.shadowMap.autoUpdate = false; // the stage asks for it: the eye moves more often than what casts a shadow
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(1024, 1024);
    this.key.shadow.radius = 5;
    this.key.shadow.bias = -0.0004;
    this.key.shadow.normalBias = 0.012;
    const fill = new DirectionalLight("#b9c8e6", 0.7);
    fill.position.set(3.5, 1.2, 2.5);
    this.floor.rotation.x = -Math.PI / 2;
    this.floor.receiveShadow = true;
    scene.add(this.key, this.key.target, fill, new HemisphereLight("#eef0f4", "#a29b8e", 1.25), this.floor);
    this.follow(0, 0, 0, 1.4);
  }

  /** Light what stands at x z with radius `reach` m, on a floor at height y. */
  follow(x: number, y: number, z: number, reach: number): void {
    this.key.position.set(x - 3.2, y + 3.0, z + 1.1);
    this.key.target.position.set(x, y + 0.8, z);
    const camera = this.key.shadow.camera;
    camera.left = camera.bottom = -reach;
    camera.right = camera.top = reach;
    camera.near = 0.5;
    camera.far = 9;
    camera.updateProjectionMatrix();
    this.floor.position.set(x, y + 0.0005, z);
  }

  /** The bare floor, where no set piece takes the shadow. */
  showFloor(visible: boolean): void {
    this.floor.visible = visible;
  }
}
