extern "C" {
#include <libavutil/log.h>
}

#include "core/media/quiet.h"

namespace glenhaze {

void quietLibraries() { av_log_set_level(AV_LOG_QUIET); }

}  // namespace glenhaze
