#include <fontconfig/fontconfig.h>
#include <pango/pangocairo.h>
#include <pango/pangofc-fontmap.h>
#include <stdlib.h>

typedef struct {
	void *map; /* by nelko_font_map */
	const char *text;
	const char *face;
	double size;    /* pixels */
	double spacing; /* pixels between letters */
	double leading; /* factor, 0 for the font's own */
	int align;      /* 0 left, 1 centre, 2 right */
	int width;      /* pixels */
} nelko_words;

typedef struct {
	double x, y, w, h; /* pixels */
	int index;         /* of the first byte in the text */
} nelko_cluster;

typedef struct {
	double w, h;
	int lines, n, missing;
	nelko_cluster *clusters;
} nelko_setting;

typedef struct {
	double r, g, b;
} nelko_rgb;

/* A font map that knows the fonts of a fontconfig file, or the system's; NULL
   if it cannot be read. Callers hold a lock for all that uses it. */
void *nelko_font_map(const char *conf);
int nelko_measure(const nelko_words *t, nelko_setting *out);
int nelko_draw(const nelko_words *t, int w, int h, int pad, nelko_rgb colour, double outline, nelko_rgb outline_colour, unsigned char *pixels);
