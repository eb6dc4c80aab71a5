//! Waiting without a thread: for tasks of any executor.

use super::shared::Shared;
use super::status::Status;
use super::wanted::Wanted;
use crate::failure::Failure;
use std::future::Future;
use std::pin::Pin;
use std::task::{Context, Poll};

/// Completes when something that was leased is ready or cannot be loaded. The pump wakes it; without a pump it never
/// completes.
#[derive(Debug)]
pub struct Ready<'l> {
    shared: &'l Shared,
    wanted: Wanted,
}

impl<'l> Ready<'l> {
    pub(super) fn new(shared: &'l Shared, wanted: Wanted) -> Self {
        Self { shared, wanted }
    }
}

impl Future for Ready<'_> {
    type Output = Result<(), Failure>;

    fn poll(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Self::Output> {
        let mut state = self.shared.lock();
        match self.wanted.status(&state) {
            Status::Ready => Poll::Ready(Ok(())),
            Status::Failed(failure) => Poll::Ready(Err(failure)),
            Status::Loading => {
                // Under the lock, so that any later change wakes it.
                state.tasks.wait(context.waker());
                Poll::Pending
            }
        }
    }
}
