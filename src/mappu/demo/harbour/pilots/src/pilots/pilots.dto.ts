import { PartialType } from '@nestjs/mapped-types';
import { Type } from 'class-transformer';
import { IsEmail, IsEnum, IsInt, IsOptional, IsString, Length, Max, MaxLength, Min, ValidateNested } from 'class-validator';
import { IsCallSign } from '@common/call-sign.decorator';

export enum Rank {
  Trainee = 'trainee',
  Harbour = 'harbour',
  Sea = 'sea',
}

export class Contact {
  @IsEmail()
  @MaxLength(120)
  email: string;

  @IsOptional()
  @IsString()
  @Length(5, 20)
  radio?: string;
}

export class CreatePilot {
  @IsString()
  @Length(2, 60)
  name: string;

  @IsCallSign()
  callSign: string;

  @IsEnum(Rank)
  rank: Rank;

  @IsInt()
  @Min(0)
  @Max(45)
  years: number;

  @ValidateNested()
  @Type(() => Contact)
  contact: Contact;
}

export class UpdatePilot extends PartialType(CreatePilot) {}

export class ListPilots {
  @IsOptional()
  @IsEnum(Rank)
  rank?: Rank;

  @IsOptional()
  @Type(() => Number)
  @IsInt()
  @Min(1)
  @Max(100)
  limit: number = 20;
}
