// SPDX-License-Identifier: GPL-3.0-or-later
// How it is recorded: the input, the files, the latency.
#pragma once

#include <functional>

#include "media/device.h"
#include "work/open_reel.h"
#include "work/work.h"

class QComboBox;
class QLabel;
class QListWidget;
class QPushButton;

namespace drevan::desktop {

class RecordingSheet : public ReelSheet {
  Q_OBJECT

 public:
  using ListDevices = std::function<std::vector<SoundDevice>()>;
  explicit RecordingSheet(const Work& work, QWidget* parent = nullptr,
                          ListDevices list = input_devices);

 private:
  void look();
  void fill(const std::vector<SoundDevice>& devices);
  void fill_more();
  void change_more();
  void change_format();
  void change_rate();
  void choose_folder();
  void show_state();

  const Work& work_;
  ListDevices list_;
  QComboBox *input_, *samples_, *width_, *rate_;
  QListWidget* more_;
  QLabel* more_label_;
  std::vector<SoundDevice> devices_;  // of the driver that is used
  QPushButton *folder_, *measure_;
  QLabel* latency_;
  TaskLane lane_;
};

}  // namespace drevan::desktop
