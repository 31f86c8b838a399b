#include "pango.h"
#include <string.h>

void *nelko_font_map(const char *conf) {
	PangoFontMap *map = pango_cairo_font_map_new_for_font_type(CAIRO_FONT_TYPE_FT);
	if (!map)
		return NULL;
	pango_cairo_font_map_set_resolution(PANGO_CAIRO_FONT_MAP(map), 72);
	if (conf) {
		FcConfig *config = FcConfigCreate();
		if (!config || !FcConfigParseAndLoad(config, (const FcChar8 *)conf, FcTrue) || !FcConfigBuildFonts(config)) {
			if (config)
				FcConfigDestroy(config);
			g_object_unref(map);
			return NULL;
		}
		pango_fc_font_map_set_config(PANGO_FC_FONT_MAP(map), config);
		FcConfigDestroy(config); /* the map holds it */
	}
	return map;
}

static PangoLayout *layout(const nelko_words *t, PangoContext **context) {
	PangoContext *c = pango_font_map_create_context(t->map);
	cairo_font_options_t *o = cairo_font_options_create();
	/* Type is set alike at every size: no hinting, no whole-pixel advances. */
	cairo_font_options_set_antialias(o, CAIRO_ANTIALIAS_GRAY);
	cairo_font_options_set_hint_style(o, CAIRO_HINT_STYLE_NONE);
	cairo_font_options_set_hint_metrics(o, CAIRO_HINT_METRICS_OFF);
	pango_cairo_context_set_font_options(c, o);
	cairo_font_options_destroy(o);
	pango_context_set_round_glyph_positions(c, FALSE);

	PangoLayout *l = pango_layout_new(c);
	PangoFontDescription *d = pango_font_description_from_string(t->face);
	pango_font_description_set_absolute_size(d, t->size * PANGO_SCALE);
	pango_layout_set_font_description(l, d);
	pango_font_description_free(d);
	pango_layout_set_text(l, t->text, -1);
	pango_layout_set_width(l, t->width * PANGO_SCALE);
	/* Words are kept whole: type is shrunk instead. */
	pango_layout_set_wrap(l, PANGO_WRAP_WORD);
	pango_layout_set_alignment(l, t->align == 1 ? PANGO_ALIGN_CENTER : t->align == 2 ? PANGO_ALIGN_RIGHT : PANGO_ALIGN_LEFT);
	if (t->leading > 0)
		pango_layout_set_line_spacing(l, t->leading);
	if (t->spacing != 0) {
		PangoAttrList *a = pango_attr_list_new();
		pango_attr_list_insert(a, pango_attr_letter_spacing_new(t->spacing * PANGO_SCALE));
		pango_layout_set_attributes(l, a);
		pango_attr_list_unref(a);
	}
	*context = c;
	return l;
}

int nelko_measure(const nelko_words *t, nelko_setting *out) {
	PangoContext *c;
	PangoLayout *l = layout(t, &c);
	PangoRectangle all;
	pango_layout_get_extents(l, NULL, &all);
	out->w = (double)all.width / PANGO_SCALE;
	out->h = (double)all.height / PANGO_SCALE;
	out->lines = pango_layout_get_line_count(l);
	out->missing = pango_layout_get_unknown_glyphs_count(l);
	int room = 64;
	out->n = 0;
	out->clusters = malloc(room * sizeof(nelko_cluster));
	PangoLayoutIter *i = pango_layout_get_iter(l);
	do {
		PangoRectangle r;
		pango_layout_iter_get_cluster_extents(i, NULL, &r);
		if (out->n == room) {
			room *= 2;
			out->clusters = realloc(out->clusters, room * sizeof(nelko_cluster));
		}
		nelko_cluster *k = &out->clusters[out->n++];
		k->x = (double)(r.x - all.x) / PANGO_SCALE;
		k->y = (double)(r.y - all.y) / PANGO_SCALE;
		k->w = (double)r.width / PANGO_SCALE;
		k->h = (double)r.height / PANGO_SCALE;
		k->index = pango_layout_iter_get_index(i);
	} while (pango_layout_iter_next_cluster(i));
	pango_layout_iter_free(i);
	g_object_unref(l);
	g_object_unref(c);
	return 0;
}

int nelko_draw(const nelko_words *t, int w, int h, int pad, nelko_rgb colour, double outline, nelko_rgb oc, unsigned char *pixels) {
	PangoContext *c;
	PangoLayout *l = layout(t, &c);
	PangoRectangle all;
	pango_layout_get_extents(l, NULL, &all);
	cairo_surface_t *s = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, w, h);
	cairo_t *cr = cairo_create(s);
	int result = -1;
	cairo_move_to(cr, pad - (double)all.x / PANGO_SCALE, pad - (double)all.y / PANGO_SCALE);
	if (outline > 0) {
		double x, y;
		cairo_get_current_point(cr, &x, &y);
		pango_cairo_layout_path(cr, l);
		cairo_set_source_rgb(cr, oc.r, oc.g, oc.b);
		cairo_set_line_width(cr, 2 * outline);
		cairo_set_line_join(cr, CAIRO_LINE_JOIN_ROUND);
		cairo_stroke(cr);
		cairo_move_to(cr, x, y);
	}
	cairo_set_source_rgb(cr, colour.r, colour.g, colour.b);
	pango_cairo_show_layout(cr, l);
	cairo_surface_flush(s);
	if (cairo_status(cr) == CAIRO_STATUS_SUCCESS && cairo_surface_status(s) == CAIRO_STATUS_SUCCESS) {
		const unsigned char *data = cairo_image_surface_get_data(s);
		int stride = cairo_image_surface_get_stride(s);
		/* From premultiplied words to straight R, G, B, A. */
		for (int y = 0; y < h; y++)
			for (int x = 0; x < w; x++) {
				uint32_t v;
				memcpy(&v, data + y * stride + 4 * x, 4);
				uint32_t a = v >> 24;
				unsigned char *p = pixels + 4 * ((size_t)y * w + x);
				p[3] = a;
				for (int k = 0; k < 3; k++) {
					uint32_t ch = v >> (16 - 8 * k) & 255;
					p[k] = a ? (ch * 255 + a / 2) / a : 0;
				}
			}
		result = 0;
	}
	cairo_destroy(cr);
	cairo_surface_destroy(s);
	g_object_unref(l);
	g_object_unref(c);
	return result;
}
