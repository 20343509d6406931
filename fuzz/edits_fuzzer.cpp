// SPDX-License-Identifier: GPL-3.0-or-later
#include "fuzzing.h"
#include "reel/history.h"
#include "reel/library/library.h"
#include "reel/library/version_files.h"
#include "steps/catalogue.h"

// Each byte is an act upon a small reel: edits of every kind, previews that are thrown away, undo, redo, going to
// any state. After each the reel saves, loads and is equal, and no index is out of range.
namespace {

using namespace drevan;

class Hands {
 public:
  Hands(const std::uint8_t* data, std::size_t size) : data_(data), left_(size) {
    Reel reel;
    reel.name = "x";
    for (int i = 0; i < 3; ++i) {
      Source s{fuzz::folder() / ("source" + std::to_string(i) + ".wav"), 48000, 48000, 1,
               static_cast<std::uint64_t>(i + 1)};
      add_clip(reel, s, i == 2 ? "B" : "A");
    }
    history_ = History(reel);
  }

  void run() {
    for (int acts = 0; left_ > 0 && acts < 400; ++acts) {
      act(next());
      check(history_.now());
    }
  }

 private:
  std::uint8_t next() {
    if (left_ == 0) return 0;
    --left_;
    return *data_++;
  }
  Clip* clip(Reel& reel) {
    return reel.clips.empty() ? nullptr : &reel.clips[next() % reel.clips.size()];
  }
  ChainOwner owner() { return static_cast<ChainOwner>(next() % 3); }

  void act(std::uint8_t what) {
    Reel reel = history_.now();
    std::string merge;
    switch (what % 18) {
      case 0:
        history_.undo();
        return;
      case 1:
        history_.redo();
        return;
      case 2:
        history_.go_to(next());
        return;
      case 3:
        history_.end_merge();
        return;
      case 4:
        if (Clip* c = clip(reel)) {
          auto& steps = chain_of(reel, *c, owner()).steps;
          if (steps.size() < 12)
            steps.insert(steps.begin() + static_cast<std::ptrdiff_t>(next() % (steps.size() + 1)),
                         make_step(catalogue()[next() % catalogue().size()]->id));
        }
        break;
      case 5:
        if (Clip* c = clip(reel)) {
          auto& steps = chain_of(reel, *c, owner()).steps;
          if (!steps.empty())
            steps.erase(steps.begin() + static_cast<std::ptrdiff_t>(next() % steps.size()));
        }
        break;
      case 6:
        if (Clip* c = clip(reel)) {
          auto& steps = chain_of(reel, *c, owner()).steps;
          if (steps.empty()) break;
          auto& step = steps[next() % steps.size()];
          const auto p = next() % step.settings.values.size();
          step.settings.values[p] = from_fraction(step.type->parameters[p], next() / 255.0);
          merge = "drag";
        }
        break;
      case 7:
        if (Clip* c = clip(reel)) sit_out_of_group(reel, c->id, next() % 2 == 0);
        break;
      case 8:
        if (Clip* c = clip(reel)) {
          auto& steps =
              chain_of(reel, *c, next() % 2 == 0 ? ChainOwner::group : ChainOwner::reel).steps;
          if (!steps.empty()) sit_out_of_step(steps[next() % steps.size()], c->id, next() % 2 == 0);
        }
        break;
      case 9:
        if (Clip* c = clip(reel)) {
          const ClipId id = c->id;
          remove_clips(reel, std::span(&id, 1));
        }
        break;
      case 10:
        add_clip(reel,
                 {fuzz::folder() / ("source" + std::to_string(next() % 5) + ".wav"), 1000 + next(),
                  48000, 1, 9},
                 next() % 2 == 0 ? "A" : "C");
        break;
      case 11:
        if (Clip* c = clip(reel); c && c->versions.size() < 6) {
          const auto file = version_file(fuzz::folder() / "x.reel", *c, promised_);
          promised_.insert(file);
          add_version(reel, c->id, {.what = "printed", .made_with = c->chain},
                      {file, 4000 + next(), 48000, 1, 7});
        }
        break;
      case 12:
        if (Clip* c = clip(reel); c && !c->versions.empty())
          go_to_version(*c, c->versions[next() % c->versions.size()].id);
        break;
      case 13:
        if (Clip* c = clip(reel); c && !c->versions.empty())
          take_out_chain(*c, c->versions[next() % c->versions.size()].id);
        break;
      case 14:
        drop_versions(reel, unused_versions(reel));
        break;
      case 15:
        if (Clip* c = clip(reel)) take_group_chain(reel, *c);
        if (reel.clips.size() > 200 ||
            (!reel.clips.empty() && reel.clips[0].chain.steps.size() > 60))
          return;
        break;
      case 16:
        if (Clip* c = clip(reel))
          reel.at(c->group).room_tone_clip = c->id,
          c->room_tone = ClipRange{0.1, 0.1 + next() / 300.0 + 0.01};
        break;
      case 17: {
        // A preview: a recipe upon one chain, looked at and thrown away; or kept.
        if (Clip* c = clip(reel)) {
          auto& steps = chain_of(reel, *c, owner()).steps;
          const auto& recipe = own_recipes()[next() % own_recipes().size()];
          if (next() % 2 == 0) steps.clear();
          if (steps.size() < 20)
            steps.insert(steps.end(), recipe.chain.steps.begin(), recipe.chain.steps.end());
        }
        check(reel);
        if (next() % 2 == 0) return;
        break;
      }
    }
    history_.edit(std::move(reel), "edit", merge);
  }

  static void check(const Reel& reel) {
    const Reel again =
        reel_from_text(reel_to_text(reel, fuzz::folder()), fuzz::folder(), "again.reel");
    fuzz::require(again == reel);
    for (const auto& clip : reel.clips) {
      running_steps(reel, clip);
      sits_out_of(reel, clip);
      fuzz::require(reel.find(clip.source) && reel.find(clip.group));
      fuzz::require(clip.id <= reel.last_clip_id);
      for (const auto& v : clip.versions) fuzz::require(reel.find(v.source));
    }
  }

  const std::uint8_t* data_;
  std::size_t left_;
  History history_;
  std::set<std::filesystem::path> promised_;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  drevan::fuzz::must_only_throw_error([&] { Hands(data, size).run(); });
  return 0;
}
