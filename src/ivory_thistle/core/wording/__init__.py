"""Words for images: alternative texts and names of files, suggested from what stands around, written where asked."""
