// SPDX-License-Identifier: GPL-3.0-or-later
// Where sound comes out: device, channels, buffer, a tone to try it by. Every change takes hold at
// once.
#pragma once

#include <QDialog>
#include <functional>

#include "work/sound_output.h"
#include "work/task_lane.h"
#include "work/work.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace drevan::desktop {

class SoundSheet : public QDialog {
  Q_OBJECT

 public:
  using ListDevices = std::function<std::vector<SoundDevice>()>;
  explicit SoundSheet(const Work& work, QWidget* parent = nullptr,
                      ListDevices list = output_devices);

  /// Asks for the devices again, as it does by itself every few seconds.
  void look();

 private:
  void fill(std::vector<SoundDevice> devices);
  void fill_devices();
  void fill_channels();
  void fill_buffers();
  void changed();
  void show_facts();
  std::string driver() const;
  std::string device() const;

  const Work& work_;
  ListDevices list_;
  std::vector<SoundDevice> devices_;
  SoundOutput output_;
  QComboBox *driver_, *device_, *channels_, *buffer_, *when_gone_;
  QLabel* facts_;
  QPushButton* tone_;
  TaskLane lane_{TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
