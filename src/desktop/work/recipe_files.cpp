// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/recipe_files.h"

#include <QStandardPaths>
#include <fmt/format.h>

#include "audio/error.h"
#include "reel/library/source_files.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/selection.h"
#include "work/work.h"

namespace drevan::desktop {

std::filesystem::path library_folder() {
  const auto data = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation);
  return std::filesystem::path(data.toStdString()) / "drevan" / "recipes";
}

void use_recipe_file(const Work& work, const std::filesystem::path& file) {
  work.document.change([&](const Reel& reel) {
    return edits::use_recipe(reel, work.selection.clip_id(), ChainOwner::clip, load_recipe(file),
                             false);
  });
}

void save_recipe_file(const Work& work, const std::filesystem::path& file) {
  work.document.end_preview();
  const Clip* c = work.selection.clip();
  if (!c) return;
  try {
    if (is_source(file, source_files(work.document.reel())))
      throw Error(
          Error::Kind::output,
          fmt::format("{} is a recording of this reel; choose another name.", file.string()));
    save_recipe({file.stem().string(), "", c->chain, {}}, file);
    work.notices.tell(
        QObject::tr("Saved %1").arg(QString::fromStdString(file.filename().string())));
  } catch (const Error& e) {
    work.notices.warn(e);
  }
}

}  // namespace drevan::desktop
