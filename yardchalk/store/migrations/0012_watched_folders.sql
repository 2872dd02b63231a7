-- The folder in the watched folder that a lot's photos come from: what is put there later finds the lot under whatever name it has by then.
ALTER TABLE lots ADD COLUMN folder text;
