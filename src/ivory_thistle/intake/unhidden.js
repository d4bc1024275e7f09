// An image named "body" hides the document's own `body`, a field named "id" that of its form: these find them all the same.
{
  const unhidden = (from, name) => {
    const {get, value} = Object.getOwnPropertyDescriptor(from.prototype, name);
    return (object, ...given) => (get || value).apply(object, given);
  };
  globalThis.rootOf = unhidden(Document, 'documentElement');
  globalThis.bodyOf = unhidden(Document, 'body');
  globalThis.imagesOf = unhidden(Document, 'images');
  globalThis.everyOf = unhidden(Document, 'querySelectorAll');
  globalThis.baseOf = unhidden(Node, 'baseURI');
  globalThis.parentOf = unhidden(Node, 'parentElement');
  globalThis.tagOf = unhidden(Element, 'tagName');
  globalThis.idOf = unhidden(Element, 'id');
  globalThis.attributeOf = unhidden(Element, 'getAttribute');
  globalThis.boxOf = unhidden(Element, 'getBoundingClientRect');
  globalThis.isVisible = unhidden(Element, 'checkVisibility');
}
