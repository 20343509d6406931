// What to do about a message that says something went wrong.
#pragma once

#include <QString>

namespace drevan::desktop {

struct Remedy {
  QString what_to_do;  ///< some sentences
  QString chapter;     ///< of the manual, where more stands
};

/// By the words of the message; always has something to say.
Remedy remedy_for(const QString& message);

}  // namespace drevan::desktop
