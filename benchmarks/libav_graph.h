// SPDX-License-Identifier: GPL-3.0-or-later
// Mono sound through a libavfilter graph: what the benchmarks are compared with.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <string>

namespace drevan::bench {

/// One graph, single-threaded, mono 32-bit float in and out.
class LibavGraph {
 public:
  using Sink = std::function<void(std::span<const float>)>;

  /// `filters` as libavfilter writes them: "highpass=f=80,alimiter". Throws std::runtime_error.
  LibavGraph(const std::string& filters, int rate, Sink sink);
  ~LibavGraph();
  LibavGraph(const LibavGraph&) = delete;
  LibavGraph& operator=(const LibavGraph&) = delete;

  void feed(std::span<const float> in);
  /// No more comes in; what is inside comes out.
  void finish();
  /// Tells every filter that knows it: avfilter_graph_send_command.
  void command(const std::string& filter, const std::string& name, const std::string& value);

 private:
  struct Impl;
  void drain();
  std::unique_ptr<Impl> impl_;
};

}  // namespace drevan::bench
