// What the pages' scripts may take for granted of the page: that an element found by a selector is what the
// selector says.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Document {
  getElementById(id: string): any;
}
interface Element {
  closest(selectors: string): any;
}
