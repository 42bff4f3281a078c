/* Rows of a result, from the packets of MariaDB's text protocol to INSERT statements.

   The packets come from a server that is not trusted: every length is held against what is
   there. mariadb/packet_rows.py has the same in Python, and calls this. */

#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* How a value is written; literals.py has the same numbers. */
enum { AS_IT_IS = 0, QUOTED = 1, HEXADECIMAL = 2, FLOATING = 3 };

struct member_rows {
  const uint8_t* ways; /* one for each column */
  uint64_t columns;
  const uint8_t* head; /* begins a member, its first statement included */
  uint64_t head_length;
  const uint8_t* again; /* ends a statement and begins the next one */
  uint64_t again_length;
  uint64_t least, usual, most; /* bytes of a member */
  uint64_t statement_most;     /* bytes of rows in a statement */
  uint64_t large;              /* bytes from which on a packet is left to the caller; < 16 MiB */
  uint64_t member_bytes, statement_bytes, rows; /* so far; kept from call to call */
  uint64_t in_used, out_used;
};

static uint32_t crc_table[8][256];

/* CRC-32 of ISO 3309, eight bytes at a time. */
__attribute__((constructor)) static void make_crc_table(void) {
  for (uint32_t n = 0; n < 256; n++) {
    uint32_t c = n;
    for (int k = 0; k < 8; k++) c = c & 1 ? 0xEDB88320u ^ (c >> 1) : c >> 1;
    crc_table[0][n] = c;
  }
  for (uint32_t n = 0; n < 256; n++)
    for (int k = 1; k < 8; k++)
      crc_table[k][n] = crc_table[0][crc_table[k - 1][n] & 0xFF] ^ (crc_table[k - 1][n] >> 8);
}

static uint32_t crc32_of(const uint8_t* data, uint64_t length) {
  uint32_t c = 0xFFFFFFFFu;
  for (; length >= 8; data += 8, length -= 8) {
    uint32_t low = c ^ (data[0] | data[1] << 8 | data[2] << 16 | (uint32_t)data[3] << 24);
    c = crc_table[7][low & 0xFF] ^ crc_table[6][low >> 8 & 0xFF] ^ crc_table[5][low >> 16 & 0xFF] ^
        crc_table[4][low >> 24] ^ crc_table[3][data[4]] ^ crc_table[2][data[5]] ^
        crc_table[1][data[6]] ^ crc_table[0][data[7]];
  }
  for (; length; data++, length--) c = crc_table[0][(c ^ *data) & 0xFF] ^ (c >> 8);
  return c ^ 0xFFFFFFFFu;
}

/* Letters that are written with a backslash before another letter; 0 for all others. */
static const uint8_t escapes[256] = {
    [0] = '0', ['\r'] = 'r', [0x1A] = 'Z', ['\''] = '\'', ['\\'] = '\\'};

enum { BLOCK = 32 };

/* Whether a block has a letter that is escaped; compilers make vector instructions of it. */
static int has_escapes(const uint8_t* block) {
  uint8_t found = 0;
  for (int n = 0; n < BLOCK; n++)
    found |= (block[n] == 0) | (block[n] == '\r') | (block[n] == 0x1A) | (block[n] == '\'') |
             (block[n] == '\\');
  return found;
}

static uint8_t* quoted(uint8_t* out, const uint8_t* value, uint64_t length) {
  const uint8_t* end = value + length;
  *out++ = '\'';
  while (value < end) {
    if (end - value >= BLOCK && !has_escapes(value)) {
      memcpy(out, value, BLOCK);
      out += BLOCK;
      value += BLOCK;
      continue;
    }
    const uint8_t* stop = end - value >= BLOCK ? value + BLOCK : end;
    for (; value < stop; value++) {
      uint8_t escape = escapes[*value];
      if (escape) *out++ = '\\';
      *out++ = escape ? escape : *value;
    }
  }
  *out++ = '\'';
  return out;
}

/* A zero is written without its decimals, a negative one so that it stays one. */
static uint8_t* floating(uint8_t* out, const uint8_t* value, uint64_t length) {
  int is_zero = 1;
  for (uint64_t n = 0; n < length; n++) is_zero &= value[n] < '1' || value[n] > '9';
  if (is_zero) {
    int negative = length && value[0] == '-';
    memcpy(out, negative ? "-0e0" : "0", negative ? 4 : 1);
    return out + (negative ? 4 : 1);
  }
  memcpy(out, value, length);
  return out + length;
}

static uint8_t* hexadecimal(uint8_t* out, const uint8_t* value, uint64_t length) {
  static const uint8_t digits[] = "0123456789ABCDEF";
  *out++ = length ? '0' : '\'';
  *out++ = length ? 'x' : '\'';
  for (const uint8_t* end = value + length; value < end; value++) {
    *out++ = digits[*value >> 4];
    *out++ = digits[*value & 15];
  }
  return out;
}

/* Write one row in parentheses; NULL if the packet holds anything but one value a column. */
static uint8_t* row_of(const struct member_rows* rows, uint8_t* out, const uint8_t* in,
                       const uint8_t* end) {
  *out++ = '(';
  for (uint64_t column = 0; column < rows->columns; column++) {
    if (column) *out++ = ',';
    if (in == end) return NULL;
    uint64_t length = *in++;
    if (length == 0xFB) {
      memcpy(out, "NULL", 4);
      out += 4;
      continue;
    }
    if (length > 0xFB) {
      /* Packets here are shorter than 16 MiB, so that four and eight bytes do not occur. */
      int count = length == 0xFC ? 2 : length == 0xFD ? 3 : 0;
      if (!count || end - in < count) return NULL;
      length = in[0] | in[1] << 8 | (count == 3 ? in[2] << 16 : 0);
      in += count;
    }
    if (length > (uint64_t)(end - in)) return NULL;
    switch (rows->ways[column]) {
      case QUOTED:
        out = quoted(out, in, length);
        break;
      case HEXADECIMAL:
        out = hexadecimal(out, in, length);
        break;
      case FLOATING:
        out = floating(out, in, length);
        break;
      default:
        memcpy(out, in, length);
        out += length;
    }
    in += length;
  }
  *out++ = ')';
  return in == end ? out : NULL;
}

/* Write rows from in, after the in_used bytes of it that are done, to out. Return 1 where a member
   ends, 0 at a packet that is left to the caller: it is incomplete, large, or no row. */
int write_rows(struct member_rows* rows, const uint8_t* in, uint64_t in_length, uint8_t* out,
               uint64_t out_length) {
  const uint8_t* start = out;
  for (;;) {
    rows->out_used = (uint64_t)(out - start);
    const uint8_t* packet = in + rows->in_used;
    uint64_t left = in_length - rows->in_used;
    if (left < 4) return 0;
    uint64_t length = packet[0] | packet[1] << 8 | packet[2] << 16;
    if (!length || length >= rows->large || left < 4 + length) return 0;
    if (packet[4] == 0xFF || (packet[4] == 0xFE && length < 9)) return 0;
    /* A byte becomes four at most (NULL, or -0e0), and a comma. */
    uint64_t worst = 5 * length + rows->head_length + rows->again_length + 8;
    if (worst > out_length - rows->out_used) return 0;

    int begins = !rows->member_bytes;
    uint64_t before = begins ? rows->head_length : 2;
    uint8_t* row = out + before;
    const uint8_t* end = row_of(rows, row, packet + 4, packet + 4 + length);
    if (!end) return 0;
    uint64_t size = (uint64_t)(end - row);
    if (begins) {
      memcpy(out, rows->head, rows->head_length);
      rows->statement_bytes = 0;
    } else if (rows->statement_bytes + size > rows->statement_most) {
      before = rows->again_length;
      memmove(out + before, row, size);
      memcpy(out, rows->again, before);
      rows->statement_bytes = 0;
    } else {
      memcpy(out, ",\n", 2);
    }
    row = out + before;
    out = row + size;
    rows->member_bytes += size;
    rows->statement_bytes += size;
    rows->rows++;
    rows->in_used += 4 + length;
    if (rows->member_bytes >= rows->most ||
        (rows->member_bytes >= rows->least &&
         (uint64_t)crc32_of(row, size) * rows->usual < size << 32)) {
      rows->out_used = (uint64_t)(out - start);
      return 1;
    }
  }
}
