// What the pages' scripts take for granted where their types are checked (npm run types): that an element which
// a selector finds is what the selector says, and that what is drawn has a geometry and a material.
import 'three';

declare global {
  interface ParentNode {
    querySelector(selectors: string): any;
    querySelectorAll(selectors: string): NodeListOf<any>;
    readonly firstElementChild: any;
    readonly lastElementChild: any;
  }
  interface Document {
    getElementById(id: string): any;
  }
  interface Element {
    closest(selectors: string): any;
  }
  interface EventTarget {
    closest(selectors: string): any;
  }
}

declare module 'three' {
  interface Object3D {
    geometry?: any;
    material?: any;
  }
}
