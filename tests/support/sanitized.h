// SPDX-License-Identifier: GPL-3.0-or-later
// Whether the tests run under a sanitizer, some ten times slower.
#pragma once

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
#define DREVAN_SANITIZED 1
#elif defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
#define DREVAN_SANITIZED 1
#endif
#endif
