/* The states of files, held against those that a file of states has. */

#include <fcntl.h>
#include <stdint.h>
#include <string.h>
#include <sys/stat.h>

/* Bytes of one state, as stat_block.py packs it. */
enum { STATE = 56 };

static uint8_t* put(uint8_t* out, uint64_t value, int bytes) {
  for (int n = 0; n < bytes; n++) *out++ = (uint8_t)(value >> 8 * n);
  return out;
}

static uint64_t nanoseconds(struct timespec moment) {
  return (uint64_t)((int64_t)moment.tv_sec * 1000000000 + moment.tv_nsec);
}

/* Return whether files in an open folder have just these states. Their names are separated by zero
   bytes, and another one follows the last. */
int states_unchanged(int folder, const char* names, uint64_t names_length, const uint8_t* states,
                     uint64_t states_length) {
  const char* end = names + names_length;
  const uint8_t* states_end = states + states_length;
  for (; names <= end; names += strlen(names) + 1, states += STATE) {
    struct stat info;
    uint8_t state[STATE], *at = state;
    if (states_end - states < STATE) return 0;
    if (fstatat(folder, names, &info, AT_SYMLINK_NOFOLLOW)) return 0;
    at = put(at, info.st_mode, 4);
    at = put(at, info.st_ino, 8);
    at = put(at, info.st_dev, 8);
    at = put(at, info.st_nlink, 4);
    at = put(at, info.st_uid, 4);
    at = put(at, info.st_gid, 4);
    at = put(at, (uint64_t)info.st_size, 8);
    at = put(at, nanoseconds(info.st_mtim), 8);
    put(at, nanoseconds(info.st_ctim), 8);
    if (memcmp(state, states, STATE)) return 0;
  }
  return states == states_end;
}
