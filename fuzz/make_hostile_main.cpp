// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the hostile files below a folder, for scripts/fuzz to begin from.
#include "hostile/make_hostile.h"

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  drevan::test::make_hostile(argv[1]);
  return 0;
}
