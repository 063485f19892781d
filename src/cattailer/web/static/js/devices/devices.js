// The page of devices: which fields a role needs, and a list that follows what was done.
export function startDevices() {
  const form = document.getElementById("offer-form");
  if (form) {
    const follow = () => {
      const { role } = Object.fromEntries(new FormData(form));
      for (const field of form.querySelectorAll("[data-for-role]")) field.hidden = field.dataset.forRole !== role;
    };
    form.addEventListener("change", follow);
    follow();
  }
  document.addEventListener("htmx:afterRequest", ({ detail: { elt, successful } }) => {
    if (successful && elt.dataset.devices !== undefined) htmx.trigger("#devices", "devices");
  });
}
