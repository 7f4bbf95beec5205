// Returns where the pointer is, in the units of a picture.
export const pointIn = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
