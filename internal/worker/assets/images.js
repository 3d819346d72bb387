// ---- Images: a picture for those that cannot be had

part.image = async () => (await stored(OWN.files.get(TABLE.image))) || Response.error();
