#include "vips.h"
#include <string.h>

static void ignore(const gchar *domain, GLogLevelFlags level, const gchar *message, gpointer data) {}

int nelko_init(int threads) {
	if (vips_init("nelko"))
		return -1;
	vips_concurrency_set(threads);
	/* Pictures are read once each: libvips' own operation cache only holds memory. */
	vips_cache_set_max(0);
	/* What matters of a damaged file comes back as an error. */
	g_log_set_handler("VIPS", G_LOG_LEVEL_WARNING, ignore, NULL);
	return 0;
}

const char *nelko_loader(const char *path) { return vips_foreign_find_load(path); }

static void copy_string(VipsImage *im, const char *name, char *to, int n) {
	const char *s;
	to[0] = 0;
	if (vips_image_get_typeof(im, name) && !vips_image_get_string(im, name, &s))
		g_strlcpy(to, s, n);
}

int nelko_header(const char *path, int *w, int *h, int *orientation, char *taken, char *offset, int n) {
	VipsImage *im = vips_image_new_from_file(path, "access", VIPS_ACCESS_SEQUENTIAL, NULL);
	if (!im)
		return -1;
	*w = vips_image_get_width(im);
	*h = vips_image_get_page_height(im);
	*orientation = vips_image_get_orientation(im);
	copy_string(im, "exif-ifd2-DateTimeOriginal", taken, n);
	copy_string(im, "exif-ifd2-OffsetTimeOriginal", offset, n);
	g_object_unref(im);
	return 0;
}

/* Writes an image as 8-bit interleaved pixels of 3 or 4 bands. */
static int to_pixels(VipsImage *in, nelko_pixels *out) {
	VipsImage *t[4] = {NULL};
	VipsImage *im = in;
	int result = -1;
	size_t n;
	if (vips_image_get_interpretation(im) != VIPS_INTERPRETATION_sRGB) {
		if (vips_colourspace(im, &t[0], VIPS_INTERPRETATION_sRGB, NULL))
			goto done;
		im = t[0];
	}
	if (vips_image_get_format(im) != VIPS_FORMAT_UCHAR) {
		if (vips_cast(im, &t[1], VIPS_FORMAT_UCHAR, NULL))
			goto done;
		im = t[1];
	}
	if (vips_image_get_bands(im) > 4) {
		if (vips_extract_band(im, &t[2], 0, "n", 4, NULL))
			goto done;
		im = t[2];
	}
	out->data = vips_image_write_to_memory(im, &n);
	if (!out->data)
		goto done;
	out->w = vips_image_get_width(im);
	out->h = vips_image_get_height(im);
	out->bands = vips_image_get_bands(im);
	result = 0;
done:
	for (int i = 0; i < 4; i++)
		if (t[i])
			g_object_unref(t[i]);
	return result;
}

/* Whether a picture's colours must go through profiles: it has one of its own,
   or is not in RGB or grey. */
static int needs_profile(const char *path) {
	VipsImage *im = vips_image_new_from_file(path, "access", VIPS_ACCESS_SEQUENTIAL, NULL);
	int needs = 1;
	if (im) {
		VipsInterpretation i = vips_image_get_interpretation(im);
		needs = vips_image_get_typeof(im, VIPS_META_ICC_NAME) || (i != VIPS_INTERPRETATION_sRGB && i != VIPS_INTERPRETATION_B_W);
		g_object_unref(im);
	}
	return needs;
}

int nelko_load(const char *path, int w, int h, nelko_pixels *out) {
	VipsImage *im = NULL;
	int result;
	if (!needs_profile(path)) {
		/* Converting sRGB to itself would take as long as decoding. */
		if (vips_thumbnail(path, &im, w, "height", h, "size", VIPS_SIZE_FORCE, "fail_on", VIPS_FAIL_ON_TRUNCATED, NULL))
			return -1;
	} else if (vips_thumbnail(path, &im, w, "height", h, "size", VIPS_SIZE_FORCE, "export_profile", "srgb",
			"fail_on", VIPS_FAIL_ON_TRUNCATED, NULL))
		return -1;
	result = to_pixels(im, out);
	g_object_unref(im);
	return result;
}

int nelko_load_buffer(void *data, size_t n, int w, int h, int cover, nelko_pixels *out) {
	VipsImage *im = NULL;
	int result;
	if (vips_thumbnail_buffer(data, n, &im, w, "height", h, "size", VIPS_SIZE_BOTH, "export_profile", "srgb",
			"crop", cover ? VIPS_INTERESTING_CENTRE : VIPS_INTERESTING_NONE, NULL))
		return -1;
	result = to_pixels(im, out);
	g_object_unref(im);
	return result;
}

int nelko_jpeg(void *pix, int w, int h, int bands, int quality, void **buf, size_t *n) {
	VipsImage *im = vips_image_new_from_memory(pix, (size_t) w * h * bands, w, h, bands, VIPS_FORMAT_UCHAR);
	VipsImage *rgb = NULL;
	int result;
	if (!im)
		return -1;
	im->Type = VIPS_INTERPRETATION_sRGB;
	result = vips_copy(im, &rgb, "interpretation", VIPS_INTERPRETATION_sRGB, NULL);
	if (!result)
		result = vips_jpegsave_buffer(rgb, buf, n, "Q", quality, "strip", TRUE, NULL);
	if (rgb)
		g_object_unref(rgb);
	g_object_unref(im);
	return result;
}
