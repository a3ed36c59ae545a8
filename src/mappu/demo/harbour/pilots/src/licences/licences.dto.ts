import { IsDateString, IsOptional, IsString, MaxLength } from 'class-validator';

export class RenewLicence {
  @IsDateString()
  until: string;

  @IsOptional()
  @IsString()
  @MaxLength(200)
  note?: string;
}

export class SuspendLicence {
  @IsString()
  @MaxLength(200)
  reason: string;
}
