#define _GNU_SOURCE /* memmem */
#include "vips.h"
#include <string.h>

static void ignore(const gchar *domain, GLogLevelFlags level, const gchar *message, gpointer data) {}

/* The readers of the formats that ReadHeader takes. */
static const char *readers[] = { "VipsForeignLoadJpeg", "VipsForeignLoadPng", "VipsForeignLoadWebp", "VipsForeignLoadTiff",
	"VipsForeignLoadHeif", "VipsForeignLoadNsgif", "VipsForeignLoadSvg" };

int nelko_init(int threads) {
	if (vips_init("nelko"))
		return -1;
	vips_concurrency_set(threads);
	/* Other readers do not even see a client's file: some run scripts. */
	vips_operation_block_set("VipsForeignLoad", TRUE);
	for (size_t i = 0; i < sizeof readers / sizeof *readers; i++)
		vips_operation_block_set(readers[i], FALSE);
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

static int is_svg(const char *path) {
	const char *loader = vips_foreign_find_load(path);
	return loader && strstr(loader, "Svg") != NULL;
}

/* Reads a drawing, scaled to w by h, or as large as it says if w is 0. As a
   stream it has no place from which to refer to other files. It may be no
   larger than a drawing by hand would be. */
static VipsImage *drawing(const char *path, int w, int h) {
	VipsImage *im = NULL;
	VipsSource *source = vips_source_new_from_file(path);
	if (!source)
		return NULL;
	if (vips_source_length(source) > 8 << 20)
		vips_error("nelko", "a drawing may have at most 8 MB");
	else if (w)
		vips_thumbnail_source(source, &im, w, "height", h, "size", VIPS_SIZE_FORCE, NULL);
	else
		im = vips_image_new_from_source(source, "", NULL);
	g_object_unref(source);
	return im;
}

/* A copy of a block of metadata, to be freed with g_free; NULL if there is none. */
int nelko_metadata(const char *path, const char *name, void **data, size_t *length) {
	const void *block;
	*data = NULL;
	VipsImage *im = vips_image_new_from_file(path, NULL);
	if (im == NULL)
		return -1;
	if (vips_image_get_typeof(im, name) == VIPS_TYPE_BLOB && vips_image_get_blob(im, name, &block, length) == 0)
		*data = g_memdup2(block, *length);
	g_object_unref(im);
	return 0;
}

int nelko_header(const char *path, nelko_head *head) {
	vips_error_clear(); /* of what was read before */
	VipsImage *im = is_svg(path) ? drawing(path, 0, 0) : vips_image_new_from_file(path, "access", VIPS_ACCESS_SEQUENTIAL, NULL);
	if (!im)
		return -1;
	head->w = vips_image_get_width(im);
	head->h = vips_image_get_page_height(im);
	head->orientation = vips_image_get_orientation(im);
	head->bands = vips_image_get_bands(im);
	head->bytes = vips_format_sizeof(vips_image_get_format(im));
	head->whole = 0;
	if (vips_image_get_typeof(im, "interlaced"))
		vips_image_get_int(im, "interlaced", &head->whole);
	copy_string(im, "exif-ifd2-DateTimeOriginal", head->taken, sizeof head->taken);
	copy_string(im, "exif-ifd0-Model", head->camera, sizeof head->camera);
	copy_string(im, "exif-ifd2-OffsetTimeOriginal", head->offset, sizeof head->offset);
	copy_string(im, "jpeg-chroma-subsample", head->sampling, sizeof head->sampling);
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
	/* libjpeg's words for it, which are no error to libvips. */
	out->early = strstr(vips_error_buffer(), "premature end") != NULL;
	result = 0;
done:
	for (int i = 0; i < 4; i++)
		if (t[i])
			g_object_unref(t[i]);
	return result;
}

/* Whether a profile is sRGB's own, to which nothing need be converted. */
static int is_srgb(VipsImage *im) {
	const void *data;
	size_t n;
	return !vips_image_get_blob(im, VIPS_META_ICC_NAME, &data, &n) && memmem(data, n, "sRGB IEC61966-2", 15);
}

/* A picture's head: whether its colours must go through profiles, because it
   has one of its own or is not in RGB or grey; and what of a JPEG can be left
   out while it is decoded. */
typedef struct {
	int profile, convertible, jpeg, w, h, orientation;
} head;

static head read_head(const char *path) {
	head k = {1, 0, 0, 0, 0, 1};
	const char *loader = vips_foreign_find_load(path);
	VipsImage *im = vips_image_new_from_file(path, "access", VIPS_ACCESS_SEQUENTIAL, NULL);
	if (im) {
		VipsInterpretation i = vips_image_get_interpretation(im);
		int plain = i == VIPS_INTERPRETATION_sRGB || i == VIPS_INTERPRETATION_B_W;
		k.profile = !plain || (i == VIPS_INTERPRETATION_sRGB && vips_image_get_typeof(im, VIPS_META_ICC_NAME) && !is_srgb(im));
		k.convertible = i == VIPS_INTERPRETATION_sRGB;
		k.jpeg = loader && strstr(loader, "Jpeg") != NULL && plain;
		k.w = vips_image_get_width(im);
		k.h = vips_image_get_height(im);
		k.orientation = vips_image_get_orientation(im);
		g_object_unref(im);
	}
	return k;
}

/* How far a JPEG may be shrunk while it is decoded, so that the resampling
   filter and not the decoder's decides on the sharpness. libvips itself always
   leaves a shrink by two to do; when decoding to a half a quarter is enough,
   and takes less than half the time. */
static int jpeg_shrink(head k, int w, int h) {
	for (int s = 8; s > 1; s /= 2) {
		double rest = s == 2 ? 1.25 : 2;
		if (k.w >= rest * s * w && k.h >= rest * s * h)
			return s;
	}
	return 1;
}

/* Reads a JPEG scaled to w by h, as it lies in the file. */
static VipsImage *shrunk_jpeg(const char *path, head k, int shrink, int w, int h) {
	VipsImage *in = NULL, *out = NULL, *rgb = NULL;
	if (vips_jpegload(path, &in, "shrink", shrink, "access", VIPS_ACCESS_SEQUENTIAL, "fail_on", VIPS_FAIL_ON_TRUNCATED, NULL))
		return NULL;
	vips_resize(in, &out, (double) w / vips_image_get_width(in), "vscale", (double) h / vips_image_get_height(in), NULL);
	g_object_unref(in);
	if (out && k.profile) {
		vips_icc_transform(out, &rgb, "srgb", "embedded", TRUE, NULL);
		g_object_unref(out);
		out = rgb;
	}
	return out;
}

/* Turns an image upright once it is in memory. */
static VipsImage *upright(VipsImage *in) {
	VipsImage *held = vips_image_copy_memory(in), *out = NULL;
	g_object_unref(in);
	if (held) {
		vips_autorot(held, &out, NULL);
		g_object_unref(held);
	}
	return out;
}

int nelko_load(const char *path, int w, int h, nelko_pixels *out) {
	VipsImage *im = NULL;
	int result, sideways;
	head k;
	/* Reads that went well after all may have left words behind. */
	vips_error_clear();
	if (is_svg(path)) {
		im = drawing(path, w, h);
		if (!im)
			return -1;
		result = to_pixels(im, out);
		g_object_unref(im);
		return result;
	}
	k = read_head(path);
	sideways = k.orientation >= 5;
	if (k.jpeg && (!k.profile || k.convertible)) {
		int fw = sideways ? h : w, fh = sideways ? w : h;
		int shrink = jpeg_shrink(k, fw, fh);
		if (shrink > 1) {
			im = shrunk_jpeg(path, k, shrink, fw, fh);
			if (im && k.orientation > 1)
				im = upright(im);
		}
	}
	if (!im && k.profile)
		vips_thumbnail(path, &im, w, "height", h, "size", VIPS_SIZE_FORCE, "export_profile", "srgb", "fail_on", VIPS_FAIL_ON_TRUNCATED, NULL);
	/* sRGB needs no converting, which would take as long as decoding. A profile
	   that does not fit its picture, such as one for colours in a grey file, is
	   passed over. */
	if (!im) {
		vips_error_clear();
		if (vips_thumbnail(path, &im, w, "height", h, "size", VIPS_SIZE_FORCE, "fail_on", VIPS_FAIL_ON_TRUNCATED, NULL))
			return -1;
	}
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

int nelko_resize(void *pix, int w, int h, int bands, int to_w, int to_h, nelko_pixels *out) {
	VipsImage *im = vips_image_new_from_memory(pix, (size_t) w * h * bands, w, h, bands, VIPS_FORMAT_UCHAR);
	VipsImage *t[2] = {NULL};
	int result = -1;
	if (!im)
		return -1;
	if (!vips_copy(im, &t[0], "interpretation", VIPS_INTERPRETATION_sRGB, NULL) &&
		!vips_thumbnail_image(t[0], &t[1], to_w, "height", to_h, "size", VIPS_SIZE_FORCE, NULL))
		result = to_pixels(t[1], out);
	for (int i = 0; i < 2; i++)
		if (t[i])
			g_object_unref(t[i]);
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
