// A view that shows a sketch says so in its address; what is tried there goes into the sketch.
export const sketch = () => new URLSearchParams(location.search).get("sketch");

// within gives an address of the house as it is asked in the sketch that is looked at.
export function within(url) {
  const id = sketch();
  return id ? url + (url.includes("?") ? "&" : "?") + "sketch=" + encodeURIComponent(id) : url;
}
