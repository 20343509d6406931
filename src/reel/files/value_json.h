// SPDX-License-Identifier: GPL-3.0-or-later
// Settings and curves of steps as JSON.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "steps/step.h"

namespace drevan {

/// Files hold what people write: 24 for the choice "24", "off" for an end that means off.
nlohmann::ordered_json value_to_json(const Parameter& p, double value);
/// Throws Error(call) that names `where`, the value and what is allowed.
double value_from_json(const Parameter& p, const nlohmann::json& json, const std::string& where);

/// A file whose name is no UTF-8 has its bytes beside it: { "path": ..., "path_bytes": ... }.
nlohmann::ordered_json text_to_json(const TextParameter& p, const std::string& text);
/// Throws Error(call) for what is no text, or no good one.
std::string text_from_json(const TextParameter& p, const nlohmann::json& json,
                           const std::string& where);

/// [[0, -60], [1.5, 0, "smooth"]] for a parameter; nullptr: whether a step is on.
nlohmann::ordered_json curve_to_json(const Curve& curve, const Parameter* parameter);
/// Throws Error(call): points out of order or range, too many.
Curve curve_from_json(const nlohmann::json& json, const Parameter* parameter,
                      const std::string& where);

/// { "gain_db": [[0, -60], [1.5, 0, "smooth"], [2, -6]], "on": [[0, true], [3, false]] }
nlohmann::ordered_json curves_to_json(const std::vector<Track>& curves, const StepType& type);
/// Throws Error(call): a parameter that is not there or stands still, points out of order or range, too many.
std::vector<Track> curves_from_json(const nlohmann::json& json, const StepType& type,
                                    const std::string& where);

}  // namespace drevan
