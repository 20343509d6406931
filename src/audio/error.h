// One exception for everything a user can mend. The text is a whole sentence that names the file
// and the remedy; programs show it as it is.
#pragma once

#include <stdexcept>
#include <string>

namespace drevan {

class Error : public std::runtime_error {
 public:
  enum class Kind {
    call,    ///< the request itself is wrong (a setting, a recipe, an option)
    input,   ///< something could not be read
    output,  ///< something could not be written
    device,  ///< no sound device
  };
  Error(Kind kind, const std::string& what) : std::runtime_error(what), kind_(kind) {}
  Kind kind() const { return kind_; }

 private:
  Kind kind_;
};

/// Thrown out of long work when its CancelToken was set. Not an Error: nothing went wrong.
struct Cancelled {};

}  // namespace drevan
