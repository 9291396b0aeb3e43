//! The beginning of a text as a number, in which frequent characters take fewer bits.
//!
//! Each byte has a code of its own length, and the codes are in the order of the bytes, none of them the beginning of another:
//! an alphabetic code (E. N. Gilbert and E. F. Moore, "Variable-length binary encodings", 1959). So the numbers are in the order
//! of the texts, and 64 bits hold about eleven letters of a title instead of eight, which leaves fewer rows that tie and whose
//! items must be read to compare them.

/// The longest code, in bits.
pub(super) const MOST_BITS: u32 = 12;

/// A code in the upper bits of a number, and its length.
#[derive(Clone, Copy)]
struct Code {
    bits: u16,
    len: u8,
}

static CODES: [Code; 256] = codes();

/// The first bytes of a text as a number; a text that ends before is as if zeros followed.
pub(super) fn text_prefix(text: &[u8]) -> u64 {
    let (mut prefix, mut used) = (0, 0);
    for byte in text {
        let code = CODES[usize::from(*byte)];
        prefix |= u64::from(code.bits) << (u64::BITS - u16::BITS) >> used;
        used += u32::from(code.len);
        if used >= u64::BITS {
            break;
        }
    }
    prefix
}

/// How many bytes of a text are whole in the first so many bits of its prefix; zeros follow where it ends.
pub(super) fn bytes_within(text: &[u8], bits: u32) -> usize {
    let len = |byte: u8| u32::from(CODES[usize::from(byte)].len);
    let mut left = bits;
    for (at, byte) in text.iter().enumerate() {
        match left.checked_sub(len(*byte)) {
            Some(rest) => left = rest,
            None => return at,
        }
    }
    text.len() + (left / len(0)) as usize
}

/// Bits for the first byte of each character, by how often it is met in titles and names.
const fn len_of(byte: u8) -> u8 {
    match byte {
        b'e' | b' ' => 4,
        b'a' | b'd' | b'h' | b'i' | b'l'..=b'o' | b'r'..=b't' => 5,
        b'0'..=b'3'
        | b'b'..=b'c'
        | b'f'..=b'g'
        | b'j'..=b'k'
        | b'p'..=b'q'
        | b'u'
        | b'x'..=b'y' => 6,
        b'4'..=b'9' | b'v' | b'w' | b'z' | b','..=b'/' => 7,
        b':' => 8,
        0..=31 | b'A'..=b'Z' | b'_' => 9,
        // Characters past ASCII.
        0xC2..=0xF4 => 10,
        b'!'..=b'+' => 11,
        _ => 12,
    }
}

const fn codes() -> [Code; 256] {
    let mut codes = [Code { bits: 0, len: 0 }; 256];
    // Where the next code begins, in the upper bits as well; it ends at 1 << 16 at the most.
    let mut next = 0_u32;
    let mut byte = 0_u8;
    loop {
        let goes_on = 0x80 <= byte && byte < 0xC0;
        let begins = byte < 0x80 || 0xC2 <= byte && byte < 0xF5;
        if goes_on {
            // Where a character goes on, nothing else can stand: these have codes of their own.
            codes[byte as usize] = Code {
                bits: ((byte - 0x80) as u16) << 10,
                len: 6,
            };
        } else if begins {
            let len = len_of(byte);
            let step = 1 << (u16::BITS - len as u32);
            let bits = next.next_multiple_of(step);
            next = bits + step;
            assert!(
                next <= 1 << u16::BITS && len as u32 <= MOST_BITS,
                "the codes are too long"
            );
            codes[byte as usize] = Code {
                bits: bits as u16,
                len,
            };
        }
        if byte == u8::MAX {
            return codes;
        }
        byte += 1;
    }
}
