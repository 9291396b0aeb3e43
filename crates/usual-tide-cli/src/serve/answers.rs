//! The answers to writes that may come again.

use super::reply::Reply;
use std::collections::{HashMap, VecDeque};

/// How many answers are kept.
const MOST_ANSWERS: usize = 10_000;

/// Bytes that they take at most.
const MOST_BYTES: usize = 16 << 20;

/// RecentAnswers by the `Idempotency-Key` of their requests, bounded in number and in bytes.
#[derive(Debug, Default)]
pub(super) struct RecentAnswers {
    known: HashMap<String, RecentAnswer>,
    order: VecDeque<String>,
    bytes: usize,
}

#[derive(Debug)]
struct RecentAnswer {
    /// Tells one request from another.
    request: u64,
    reply: Reply,
}

impl RecentAnswers {
    /// The answer that a request was given before, or the refusal where the key was used for another one.
    pub(super) fn get(&self, key: &str, request: u64) -> Option<Reply> {
        let answered = self.known.get(key)?;
        Some(match answered.request == request {
            true => answered.reply.clone(),
            false => Reply::problem(
                422,
                "this Idempotency-Key was used for another request: each write needs its own",
            ),
        })
    }

    pub(super) fn keep(&mut self, key: String, request: u64, reply: &Reply) {
        let bytes = |reply: &Reply| reply.body.len() + 200;
        self.bytes += bytes(reply);
        let reply = reply.clone();
        if let Some(old) = self
            .known
            .insert(key.clone(), RecentAnswer { request, reply })
        {
            self.bytes -= bytes(&old.reply);
        } else {
            self.order.push_back(key);
        }
        while self.order.len() > MOST_ANSWERS || self.bytes > MOST_BYTES {
            let Some(oldest) = self.order.pop_front() else {
                break;
            };
            if let Some(old) = self.known.remove(&oldest) {
                self.bytes -= bytes(&old.reply);
            }
        }
    }
}
