// Walks the menus of a DVD-Video with libdvdnav, as a player does:
//   walk IMAGE COMMAND...
// Commands: "N" activates button N of the menu that is shown; "menu" asks for
// the title menu; "skip" leaves what plays for its end. After each it prints
// where the disc stands: "menu buttons=N", "title=T chapters=C seconds=S".
#include <dvdnav/dvdnav.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static dvdnav_t *d;
static uint8_t block[DVD_VIDEO_LB_LEN];

// go plays until the disc stands in a menu with its buttons known, or in a
// title; to_end goes on until the title is over.
static int go(int to_end) {
  int32_t title = -1, part = -1, was = -1;
  for (long n = 0; n < 4000000; n++) {
    int32_t event, len;
    if (dvdnav_get_next_block(d, block, &event, &len) != DVDNAV_STATUS_OK) {
      printf("error %s\n", dvdnav_err_to_string(d));
      return 0;
    }
    switch (event) {
    case DVDNAV_STOP:
      printf("stop\n");
      return 0;
    case DVDNAV_STILL_FRAME:
      dvdnav_still_skip(d);
      break;
    case DVDNAV_WAIT:
      dvdnav_wait_skip(d);
      break;
    case DVDNAV_NAV_PACKET: {
      if (dvdnav_current_title_info(d, &title, &part) != DVDNAV_STATUS_OK) title = -1;
      pci_t *pci = dvdnav_get_current_nav_pci(d);
      if (dvdnav_is_domain_vmgm(d) && pci && pci->hli.hl_gi.btn_ns > 0) {
        int32_t sel = 0;
        dvdnav_get_current_highlight(d, &sel);
        printf("menu buttons=%d selected=%d\n", pci->hli.hl_gi.btn_ns, sel);
        return 1;
      }
      if (title > 0 && dvdnav_is_domain_vts(d)) {
        if (to_end && (was < 0 || was == title)) {
          was = title;
          break;
        }
        int32_t parts = 0;
        uint64_t *times = NULL, whole = 0;
        uint32_t count = dvdnav_describe_title_chapters(d, title, &times, &whole);
        dvdnav_get_number_of_parts(d, title, &parts);
        printf("title=%d chapters=%d seconds=%.2f words=%d at=", title, parts, whole / 90000.0, dvdnav_get_active_spu_stream(d));
        for (uint32_t i = 0; i + 1 < count; i++)
          printf("%.2f ", times[i] / 90000.0);
        printf("\n");
        free(times);
        return 1;
      }
      break;
    }
    }
  }
  printf("lost\n");
  return 0;
}

int main(int argc, char **argv) {
  if (argc < 2 || dvdnav_open(&d, argv[1]) != DVDNAV_STATUS_OK) return 2;
  dvdnav_set_readahead_flag(d, 0);
  dvdnav_set_PGC_positioning_flag(d, 1);
  if (!go(0)) return 1;
  for (int i = 2; i < argc; i++) {
    int to_end = 0;
    if (!strcmp(argv[i], "menu")) {
      if (dvdnav_menu_call(d, DVD_MENU_Title) != DVDNAV_STATUS_OK) printf("no menu\n");
    } else if (!strcmp(argv[i], "skip")) {
      to_end = 1;
    } else {
      pci_t *pci = dvdnav_get_current_nav_pci(d);
      dvdnav_button_select_and_activate(d, pci, atoi(argv[i]));
    }
    if (!go(to_end)) return 1;
  }
  dvdnav_close(d);
  return 0;
}
